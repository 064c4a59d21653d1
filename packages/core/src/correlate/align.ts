import { bodyKind, headerOf, looksLikeId, mediaType, pathAndQuery, pathShape } from '../take/messages.js';
import type { Exchange, LoadedTake } from '../take/take.schema.js';
import { kindWords } from '../take/message-words.js';

interface Key {
  /** Method, origin and names of the query. */
  fixed: string;
  segments: string[];
}

const keyOf = (exchange: Exchange): Key => {
  const target = pathAndQuery(exchange.url);
  const query = pathShape(target).split('?')[1] ?? '';
  return { fixed: `${exchange.method} ${new URL(exchange.url).origin} ${query}`, segments: (target.split('?')[0] ?? '').split('/') };
};

/** A segment with its numbers masked: `item-4711.html` and `item-5133.html` are alike. */
const masked = (segment: string): string => segment.replace(/\d+/g, '#');

/** Same request with other ids: where segments differ, at least one of them looks like an id, or they differ in a number. */
const alike = (left: Key, right: Key): boolean =>
  left.fixed === right.fixed &&
  left.segments.length === right.segments.length &&
  left.segments.every(
    (part, at) =>
      part === right.segments[at] ||
      looksLikeId(part) ||
      looksLikeId(right.segments[at] ?? '') ||
      masked(part) === masked(right.segments[at] ?? ''),
  );

/** True for two requests that ask the same, ids aside. */
const isAlike = (left: Exchange, right: Exchange): boolean => alike(keyOf(left), keyOf(right));

/** Above this many cells the table of the alignment is not made; requests are then paired in their order, kind by kind. */
const mostCells = 25_000_000;

/**
 * Lays two takes beside each other: for each exchange of the first the number of its partner in the second. Partners have
 * the same method and path shape and stand in the same order (longest common subsequence, Wagner and Fischer 1974); of several
 * that fit, those are preferred whose requests are of the same kind (`kinds`) and have the same address.
 */
export function alignTakes(
  first: readonly Exchange[],
  second: readonly Exchange[],
  kinds?: (exchange: Exchange) => string,
): Map<number, number> {
  const a = first.map(keyOf);
  const b = second.map(keyOf);
  const [kindA, kindB] = [first.map((one) => kinds?.(one)), second.map((one) => kinds?.(one))];
  if (a.length * b.length > mostCells) return pairInOrder(first, second);
  const weight = (i: number, j: number): number => {
    const [left, right] = [a[i], b[j]];
    if (left === undefined || right === undefined || !alike(left, right)) return 0;
    return 2 + (kindA[i] === kindB[j] ? 2 : 0) + (left.segments.every((part, at) => part === right.segments[at]) ? 1 : 0);
  };
  const width = b.length + 1;
  const best = new Uint32Array((a.length + 1) * width);
  const at = (i: number, j: number): number => best[i * width + j] ?? 0;
  for (let i = a.length - 1; i >= 0; i--)
    for (let j = b.length - 1; j >= 0; j--) {
      const own = weight(i, j);
      best[i * width + j] = Math.max(at(i + 1, j), at(i, j + 1), own > 0 ? own + at(i + 1, j + 1) : 0);
    }
  const pairs = new Map<number, number>();
  let i = 0;
  let j = 0;
  while (i < a.length && j < b.length) {
    const own = weight(i, j);
    if (own > 0 && at(i, j) === own + at(i + 1, j + 1)) {
      const [left, right] = [first[i++], second[j++]];
      if (left && right) pairs.set(left.n, right.n);
    } else if (at(i + 1, j) >= at(i, j + 1)) i++;
    else j++;
  }
  return pairs;
}

function pairInOrder(first: readonly Exchange[], second: readonly Exchange[]): Map<number, number> {
  const waiting = new Map<string, Exchange[]>();
  const name = (one: Exchange) => `${one.method} ${new URL(one.url).origin} ${pathShape(pathAndQuery(one.url))}`;
  for (const one of second) waiting.set(name(one), [...(waiting.get(name(one)) ?? []), one]);
  const pairs = new Map<number, number>();
  for (const one of first) {
    const partner = waiting.get(name(one))?.shift();
    if (partner) pairs.set(one.n, partner.n);
  }
  return pairs;
}

/** What a request asks for beyond its address: the names of its fields or members, and short words that say an action. */
function kindOf(exchange: Exchange, { readBody }: LoadedTake): string {
  // A message that nobody asked for is of the kind that it tells itself.
  const body = exchange.socket?.action === 'await' ? exchange.response?.body : exchange.requestBody;
  const text = body && (readBody(body.hash) ?? '');
  if (!text || text.length > 200_000) return '';
  const kind = bodyKind(mediaType([['content-type', headerOf(exchange.requestHeaders, 'content-type') ?? body.mimeType]]));
  const masked = (name: string) => name.replace(/\d+/g, '#');
  if (kind === 'form')
    return text
      .split('&')
      .map((pair) => {
        const [name = '', value = ''] = pair.split('=');
        return /^(action|op|method|cmd|task|event|type)$/i.test(name) ? `${name}=${value}` : masked(name);
      })
      .join('&');
  const words = exchange.socket
    ? kindWords(text)
        .map((one) => one.word)
        .join(' ')
    : '';
  if (kind === 'json') return words + [...text.matchAll(/"(\w+)"\s*:/g)].map((match) => masked(match[1] ?? '')).join(',');
  return words;
}

/** The exchanges of two takes in pairs: those in the same order first, then those that only stand at another place of the flow. */
export function pairTakes(first: LoadedTake, second: LoadedTake): Map<number, number> {
  const kinds = new Map<Exchange, string>();
  for (const loaded of [first, second]) for (const one of loaded.exchanges) kinds.set(one, kindOf(one, loaded));
  const pairs = alignTakes(first.exchanges, second.exchanges, (one) => kinds.get(one) ?? '');
  return new Map([...pairs, ...movedPairs(first.exchanges, second.exchanges, pairs)]);
}

/** Exchanges that stand in both takes and that an alignment left out, because they stand at another place of the flow. */
export function movedPairs(
  first: readonly Exchange[],
  second: readonly Exchange[],
  pairs: ReadonlyMap<number, number>,
): Map<number, number> {
  const taken = new Set(pairs.values());
  const spare = second.filter((one) => !taken.has(one.n));
  const moved = new Map<number, number>();
  for (const one of first) {
    if (pairs.has(one.n)) continue;
    const at = spare.findIndex((other) => isAlike(one, other));
    const [found] = at >= 0 ? spare.splice(at, 1) : [];
    if (found) moved.set(one.n, found.n);
  }
  return moved;
}
