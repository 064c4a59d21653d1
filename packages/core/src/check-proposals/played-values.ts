import type { BodyReader } from '../take/take.schema.js';
import type { Fill } from '../extractors/extract.js';
import { requestSteps, type Script } from '../script/script.schema.js';
import type { RequestStep } from '../actions/http/request.schema.js';
import type { Template } from '../values/template.schema.js';
import { sentNodes } from '../actions/http/request-parts.js';
import type { SentNode } from '../actions/http/sent-values.js';
import { isStill, recordedOf, recordedText, type MovingPiece } from '../values/template.js';
import type { CapturedStep } from '../actions/action-step.schema.js';
import type { CapturedRequest } from '../actions/http/captured-request.schema.js';

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

/** A captured request as a step that sends just that, so that its values have the same places. */
const asSent = (step: RequestStep, { request }: CapturedRequest, body: string | undefined): RequestStep => {
  const text = (value: string): Template => [{ kind: 'text', text: value }];
  const url = new URL(request.url);
  return {
    ...step,
    url: text(url.pathname + url.search),
    headers: request.headers.map(([name, value]) => ({ name, value: text(value) })),
    body: body === undefined ? null : text(body),
  };
};

/**
 * Gives the text of a template as it was in a rehearsal: what was sent at a place where a moving piece stands alone is what the piece
 * stood for. Pieces that were sent nowhere give what was recorded.
 */
export function playedFill(script: Script, steps: readonly CapturedStep[], readBody: BodyReader): Fill {
  const values = new Map<string, string>();
  const byStep = new Map(steps.map((step) => [step.step, step]));
  for (const { step } of requestSteps(script)) {
    const played = byStep.get(step.id);
    if (played?.kind !== 'request') continue;
    const moving = new Map<string, MovingPiece>();
    const collect = (node: SentNode): void => {
      const [only] = node.template;
      if (node.template.length === 1 && only && only.kind !== 'text' && only.kind !== 'wrap' && only.kind !== 'file')
        moving.set(node.place, only);
      node.kids.forEach(collect);
    };
    sentNodes(step).forEach(collect);
    if (moving.size === 0) continue;
    const body = played.request.body === null ? undefined : readBody(played.request.body.hash);
    const read = (node: SentNode): void => {
      const piece = moving.get(node.place);
      if (piece) values.set(keyOf(piece), node.value);
      node.kids.forEach(read);
    };
    sentNodes(asSent(step, played, body)).forEach(read);
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
