import { bodyKind, headerOf, mediaType } from '../../take/messages.js';
import type { Header } from '../../take/take.schema.js';
import type { RequestStep } from './request.schema.js';
import type { Template } from '../../values/template.schema.js';
import { bindTree, isLeaf, leavesOf, nodesOf, type SentNode, type SentValue } from './sent-values.js';
import { movingPieces, recordedText, type MovingPiece } from '../../values/template.js';
import { bodyTree, headerTree, targetTree, type ValueTree } from '../../values/value-tree.js';

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

/** One text of a request that may move: its template and the tree of its values. */
export interface RequestPart {
  part: 'url' | 'body' | 'header';
  /** Header name; empty for the others. */
  name: string;
  template: Template;
  tree: ValueTree;
}

// A step is never changed in place, so what was found in it stays true; a script is asked for its values over and over.
const known = new WeakMap<RequestStep, RequestPart[]>();

/** The parts of a step's request with their values. */
export function requestParts(step: RequestStep): RequestPart[] {
  const before = known.get(step);
  if (before) return before;
  const parts: RequestPart[] = [{ part: 'url', name: '', template: step.url, tree: targetTree(recordedText(step.url)) }];
  for (const { name, value } of step.headers)
    if (carriesValue(name)) parts.push({ part: 'header', name, template: value, tree: headerTree(name, recordedText(value)) });
  if (step.body) {
    const headers: Header[] = step.headers.map(({ name, value }) => [name, recordedText(value)]);
    const text = recordedText(step.body);
    parts.push({ part: 'body', name: '', template: step.body, tree: bodyTree(text, bodyKind(mediaType(headers))) });
  }
  known.set(step, parts);
  return parts;
}

/** The values that a step sends as trees, outer ones first. The Referer is left out: it repeats an earlier address. */
export function sentNodes(step: RequestStep): SentNode[] {
  return requestParts(step)
    .filter((part) => part.name.toLowerCase() !== 'referer')
    .flatMap((part) => nodesOf(part.tree, part.template));
}

/** All leaves of what a step sends; a leaf whose wrapping was taken off is one, and so is what lies in it. */
export function sentLeaves(step: RequestStep): SentNode[] {
  const found: SentNode[] = [];
  const walk = (node: SentNode): void => {
    if (isLeaf(node)) found.push(node);
    node.kids.forEach(walk);
  };
  sentNodes(step).forEach(walk);
  return found;
}

/** All values that a step sends, with their place. */
export const sentValues = (step: RequestStep): SentValue[] =>
  [...leavesOf(sentNodes(step))].map(({ place, name, value }) => ({ place, name, value }));

/** The places of a step that are bound to a moving piece, with the kind of the first piece there. */
export function boundPlaces(step: RequestStep): Map<string, MovingPiece['kind']> {
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

/**
 * A step with other pieces at some places: `bind` is asked for every value, outer ones first, and gives the new template of that
 * value, or undefined to leave it as it is.
 */
export function bindStep(
  step: RequestStep,
  bind: (value: SentValue, part: RequestPart, current: Template) => Template | undefined,
): RequestStep {
  let changed: RequestStep = step;
  for (const part of requestParts(step)) {
    const template = bindTree(part.tree, part.template, (value, current) => bind(value, part, current));
    if (part.part === 'url') changed = { ...changed, url: template };
    else if (part.part === 'body') changed = { ...changed, body: template };
    else
      changed = {
        ...changed,
        headers: changed.headers.map((header) => (header.name === part.name ? { name: header.name, value: template } : header)),
      };
  }
  return changed;
}

/** The recorded value of a header of a step. */
export const stepHeader = (step: RequestStep, name: string): string | undefined =>
  headerOf(
    step.headers.map(({ name: own, value }): Header => [own, recordedText(value)]),
    name,
  );
