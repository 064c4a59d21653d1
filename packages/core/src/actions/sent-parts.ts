import { bodyKind, headerOf, mediaType } from '../take/messages.js';
import type { Header } from '../take/take.schema.js';
import { messageType } from '../sockets/message-type.js';
import type { BoundValue } from './action-kind.js';
import type { RequestStep } from './http/request.schema.js';
import type { MessageStep } from './message/message.schema.js';
import type { Template } from '../values/template.schema.js';
import { bindTree, isLeaf, leavesOf, nodesOf, type SentNode, type SentValue } from './sent-values.js';
import { movingPieces, recordedText, type MovingPiece } from '../values/template.js';
import { bodyTree, headerTree, targetTree, type ValueTree } from '../values/value-tree.js';

/** Headers that describe the client or the transport and carry no value of the application. */
const plainHeaders = new Set(
  'accept accept-charset accept-encoding accept-language cache-control connection content-length content-type dnt host if-modified-since if-none-match keep-alive origin pragma priority proxy-connection range te transfer-encoding upgrade upgrade-insecure-requests user-agent x-requested-with'.split(
    ' ',
  ),
);

/** True for a request header whose value may belong to the application. */
export const carriesValue = (name: string): boolean => {
  const lower = name.toLowerCase();
  return !plainHeaders.has(lower) && !lower.startsWith('sec-') && !lower.startsWith(':');
};

/** A step that stands for records of a take: a request, or a message over a WebSocket. */
export type RecordedStep = RequestStep | MessageStep;

/** True for a request or a message, whether it was recorded or made by hand. */
export const isRecorded = <Step extends { kind: string }>(step: Step): step is Extract<Step, { kind: RecordedStep['kind'] }> =>
  step.kind === 'request' || step.kind === 'message';

/** One text that a step sends and that may move: its template and the tree of its values. */
export interface SentPart {
  part: 'url' | 'body' | 'header';
  /** Header name; empty for the others. */
  name: string;
  template: Template;
  tree: ValueTree;
}

// A step is never changed in place, so what was found in it stays true; a script is asked for its values over and over.
const known = new WeakMap<RecordedStep, SentPart[]>();

/** The texts that a step sends, with their values. */
export function sentParts(step: RecordedStep): SentPart[] {
  const before = known.get(step);
  if (before) return before;
  const parts = step.kind === 'request' ? partsOfRequest(step) : partsOfMessage(step);
  known.set(step, parts);
  return parts;
}

function partsOfRequest(step: RequestStep): SentPart[] {
  const parts: SentPart[] = [{ part: 'url', name: '', template: step.url, tree: targetTree(recordedText(step.url)) }];
  for (const { name, value } of step.headers)
    if (carriesValue(name)) parts.push({ part: 'header', name, template: value, tree: headerTree(name, recordedText(value)) });
  if (step.body) {
    const headers: Header[] = step.headers.map(({ name, value }) => [name, recordedText(value)]);
    parts.push({ part: 'body', name: '', template: step.body, tree: bodyTree(recordedText(step.body), bodyKind(mediaType(headers))) });
  }
  return parts;
}

function partsOfMessage({ body, format }: MessageStep): SentPart[] {
  if (!body) return [];
  const text = recordedText(body);
  return [{ part: 'body', name: '', template: body, tree: bodyTree(text, bodyKind(messageType(format, text))) }];
}

/** The values that a step sends as trees, outer ones first. The Referer is left out: it repeats an earlier address. */
export function sentNodes(step: RecordedStep): SentNode[] {
  return sentParts(step)
    .filter((part) => part.name.toLowerCase() !== 'referer')
    .flatMap((part) => nodesOf(part.tree, part.template));
}

/** All leaves of what a step sends; a leaf whose wrapping was taken off is one, and so is what lies in it. */
export function sentLeaves(step: RecordedStep): SentNode[] {
  const found: SentNode[] = [];
  const walk = (node: SentNode): void => {
    if (isLeaf(node)) found.push(node);
    node.kids.forEach(walk);
  };
  sentNodes(step).forEach(walk);
  return found;
}

/** All values that a step sends, with their place. */
export const sentValues = (step: RecordedStep): SentValue[] =>
  [...leavesOf(sentNodes(step))].map(({ place, name, value }) => ({ place, name, value }));

/** The places of a step that are bound to a moving piece, with the kind of the first piece there. */
export function boundPlaces(step: RecordedStep): Map<string, MovingPiece['kind']> {
  const bound = new Map<string, MovingPiece['kind']>();
  const walk = (nodes: readonly SentNode[]) => {
    for (const node of nodes) {
      const [first] = movingPieces(node.template);
      if (first && isLeaf(node)) bound.set(node.place, first.kind);
      else if (first && node.template.length === 1 && node.template[0]?.kind === first.kind) bound.set(node.place, first.kind);
      walk(node.kids);
    }
  };
  walk(sentNodes(step));
  return bound;
}

/** The values of a step, each with the kind of the piece that stands for it, where one does. */
export function boundValues(step: RecordedStep): BoundValue[] {
  const bound = boundPlaces(step);
  return sentValues(step).map((value) => {
    const piece = bound.get(value.place);
    return { ...value, ...(piece === undefined ? {} : { piece }) };
  });
}

/**
 * A step with other pieces at some places: `bind` is asked for every value, outer ones first, and gives the new template of that
 * value, or undefined to leave it as it is.
 */
export function bindStep<Step extends RecordedStep>(
  step: Step,
  bind: (value: SentValue, part: SentPart, current: Template) => Template | undefined,
): Step {
  return sentParts(step).reduce(
    (changed, part) =>
      withPart(
        changed,
        part,
        bindTree(part.tree, part.template, (value, current) => bind(value, part, current)),
      ),
    step,
  );
}

/** A step with another template in one of its parts. */
function withPart<Step extends RecordedStep>(step: Step, { part, name }: SentPart, template: Template): Step {
  if (part === 'body') return { ...step, body: template };
  if (step.kind !== 'request') return step;
  if (part === 'url') return { ...step, url: template };
  return { ...step, headers: step.headers.map((header) => (header.name === name ? { name, value: template } : header)) };
}

/** The recorded value of a header of a step. */
export const stepHeader = (step: RequestStep, name: string): string | undefined =>
  headerOf(
    step.headers.map(({ name: headerName, value }): Header => [headerName, recordedText(value)]),
    name,
  );
