import { bodyKind, headerOf, mediaType } from '../take/messages.js';
import type { Header } from '../take/take.schema.js';
import type { RequestStep, Template } from './script.schema.js';
import { bindTree, bodyTree, headerTree, leavesOf, targetTree, type SentValue, type ValueTree } from './sent-values.js';
import { movingPieces, recordedText } from './template.js';

/** Headers that describe the client or the transport and carry no value of the application. */
const plainHeaders = new Set(
  'accept accept-charset accept-encoding accept-language cache-control connection content-length content-type cookie dnt host if-modified-since if-none-match keep-alive origin pragma priority proxy-connection range te transfer-encoding upgrade upgrade-insecure-requests user-agent x-requested-with'.split(
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

/** The parts of a step's request with their values. */
export function requestParts(step: RequestStep): RequestPart[] {
  const parts: RequestPart[] = [{ part: 'url', name: '', template: step.url, tree: targetTree(recordedText(step.url)) }];
  for (const { name, value } of step.headers)
    if (carriesValue(name)) parts.push({ part: 'header', name, template: value, tree: headerTree(name, recordedText(value)) });
  if (step.body) {
    const headers: Header[] = step.headers.map(({ name, value }) => [name, recordedText(value)]);
    const text = recordedText(step.body);
    parts.push({ part: 'body', name: '', template: step.body, tree: bodyTree(text, bodyKind(mediaType(headers))) });
  }
  return parts;
}

/** All values that a step sends, with their place. The Referer is left out: it repeats an earlier address. */
export function sentValues(step: RequestStep): SentValue[] {
  return requestParts(step)
    .filter((part) => part.name.toLowerCase() !== 'referer')
    .flatMap((part) => [...leavesOf(part.tree)]);
}

/** The places of a step that are bound to a moving piece, with the kind of the first piece there. */
export function boundPlaces(step: RequestStep): Map<string, 'handoff' | 'data' | 'made' | 'variable'> {
  const bound = new Map<string, 'handoff' | 'data' | 'made' | 'variable'>();
  for (const part of requestParts(step))
    bindTree(part.tree, part.template, (value) => {
      const [first] = movingPieces(currentAt(part, value.place) ?? []);
      if (first) bound.set(value.place, first.kind);
      return undefined;
    });
  return bound;
}

/** What stands at a place now. */
function currentAt(part: RequestPart, place: string): Template | undefined {
  let found: Template | undefined;
  const walk = (tree: ValueTree, template: Template) => {
    for (const kid of tree.kids) {
      const slice = sliceOf(template, kid.start, kid.end);
      const first = slice[0];
      const inner = first?.kind === 'wrap' && slice.length === 1 ? first.pieces : slice;
      if (kid.place === place) found = inner;
      else if (kid.tree.kids.length > 0)
        walk(kid.tree, inner.every((one) => one.kind === 'text') ? [{ kind: 'text', text: kid.tree.text }] : inner);
    }
  };
  walk(part.tree, part.template);
  return found;
}

function sliceOf(template: Template, start: number, end: number): Template {
  let at = 0;
  return template.filter((piece) => {
    const from = at;
    at += (piece.kind === 'text' ? piece.text : piece.recorded).length;
    return from < end && at > start;
  });
}

/**
 * A step with other pieces at some places: `bind` is asked for every value and gives the new template of that value, or
 * undefined to leave it as it is.
 */
export function bindStep(step: RequestStep, bind: (value: SentValue, part: RequestPart) => Template | undefined): RequestStep {
  let changed: RequestStep = step;
  for (const part of requestParts(step)) {
    const template = bindTree(part.tree, part.template, (value) => bind(value, part));
    if (part.part === 'url') changed = { ...changed, url: template };
    else if (part.part === 'body') changed = { ...changed, body: template };
    else
      changed = {
        ...changed,
        headers: changed.headers.map((one) => (one.name === part.name ? { name: one.name, value: template } : one)),
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
