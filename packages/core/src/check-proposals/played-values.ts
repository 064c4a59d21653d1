import type { BodyReader, BodyRef } from '../take/take.schema.js';
import type { Fill } from '../extractors/extract.js';
import { recordedSteps, type Script } from '../script/script.schema.js';
import type { Template } from '../values/template.schema.js';
import { sentNodes, type RecordedStep } from '../actions/sent-parts.js';
import type { SentNode } from '../actions/sent-values.js';
import { isStill, recordedOf, recordedText, type MovingPiece } from '../values/template.js';
import type { CapturedStep } from '../actions/action-step.schema.js';

/** What a moving piece stands for, in the form in which it is written, as a key. */
const keyOf = (piece: MovingPiece): string => ('as' in piece && piece.as !== undefined ? `${ownKey(piece)} ${piece.as}` : ownKey(piece));

const ownKey = (piece: MovingPiece): string => {
  switch (piece.kind) {
    case 'handoff':
      return `handoff ${piece.handoff}`;
    case 'made':
      return `made ${piece.made}`;
    case 'data':
      return `data ${piece.table} ${piece.column}`;
    case 'variable':
      return `variable ${piece.name}`;
  }
};

/** A step that sends just what it sent when it was played, so that its values have the same places; null where it was played as another kind. */
function asSent(step: RecordedStep, played: CapturedStep | undefined, readBody: BodyReader): RecordedStep | null {
  const text = (value: string): Template => [{ kind: 'text', text: value }];
  const body = (sent: BodyRef | null): Template | null => {
    const value = sent ? readBody(sent.hash) : undefined;
    return value === undefined ? null : text(value);
  };
  if (step.kind === 'message') return played?.kind === 'message' ? { ...step, body: body(played.sent) } : null;
  if (played?.kind !== 'request') return null;
  const url = new URL(played.request.url);
  return {
    ...step,
    url: text(url.pathname + url.search),
    headers: played.request.headers.map(([name, value]) => ({ name, value: text(value) })),
    body: body(played.request.body),
  };
}

/**
 * Gives the text of a template as it was in a rehearsal: what was sent at a place where a moving piece stands alone is what the piece
 * stood for. Pieces that were sent nowhere give what was recorded.
 */
export function playedFill(script: Script, steps: readonly CapturedStep[], readBody: BodyReader): Fill {
  const values = new Map<string, string>();
  const byStep = new Map(steps.map((step) => [step.step, step]));
  for (const { step } of recordedSteps(script)) {
    const sent = asSent(step, byStep.get(step.id), readBody);
    if (!sent) continue;
    const moving = new Map<string, MovingPiece>();
    const collect = (node: SentNode): void => {
      const [only] = node.template;
      if (node.template.length === 1 && only && only.kind !== 'text' && only.kind !== 'wrap' && only.kind !== 'file')
        moving.set(node.place, only);
      node.kids.forEach(collect);
    };
    sentNodes(step).forEach(collect);
    if (moving.size === 0) continue;
    const read = (node: SentNode): void => {
      const piece = moving.get(node.place);
      if (piece) values.set(keyOf(piece), node.value);
      node.kids.forEach(read);
    };
    sentNodes(sent).forEach(read);
  }
  const textOf = (template: Template): string =>
    template
      .map((piece) =>
        piece.kind === 'wrap'
          ? textOf(piece.pieces)
          : piece.kind === 'text' || piece.kind === 'file'
            ? recordedOf(piece)
            : (values.get(keyOf(piece)) ?? piece.recorded),
      )
      .join('');
  return (template) => (isStill(template) ? recordedText(template) : textOf(template));
}
