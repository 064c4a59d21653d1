import { bodyKind, looksLikeId, pathAndQuery } from '../../take/messages.js';
import type { Exchange, LoadedTake } from '../../take/take.schema.js';
import { kindWords } from '../../sockets/message-words.js';
import { askedValues, Telling } from '../../calls/telling.js';
import { sentBody, sentType, verbOf } from '../../take/exchanges.js';

interface Address {
  /** Method and origin. */
  fixed: string;
  segments: string[];
  /** Names of the query. */
  names: string;
}

/** A segment with its numbers masked: `item-4711.html` and `item-5133.html` are alike. */
const masked = (segment: string): string => segment.replace(/\d+/g, '#');

function addressOf(exchange: Exchange): Address {
  const [path = '', query = ''] = pathAndQuery(exchange.url).split('?');
  const names = query
    .split('&')
    .filter(Boolean)
    .map((pair) => masked(pair.split('=')[0] ?? ''))
    .sort();
  return { fixed: `${verbOf(exchange)} ${new URL(exchange.url).origin}`, segments: path.split('/'), names: names.join('&') };
}

/** Same address with other ids: where segments differ, at least one of them looks like an id, or they differ in a number. */
const alike = (left: Address, right: Address): boolean =>
  left.fixed === right.fixed &&
  left.segments.length === right.segments.length &&
  left.segments.every(
    (part, at) =>
      part === right.segments[at] ||
      looksLikeId(part) ||
      looksLikeId(right.segments[at] ?? '') ||
      masked(part) === masked(right.segments[at] ?? ''),
  );

/** The address of a request with its ids masked. */
export const groupOf = (exchange: Exchange): string => {
  const { fixed, segments } = addressOf(exchange);
  return `${fixed} ${segments.map((part) => (looksLikeId(part) ? '*' : masked(part))).join('/')}`;
};

/** Above this many cells the table of the alignment is not made; requests are then paired in their order, kind by kind. */
const mostCells = 25_000_000;

/** What two requests of two takes have in common, as the alignment weighs it; 0 where they cannot be partners. */
type Weight = (first: Exchange, second: Exchange) => number;

/**
 * Lays two takes beside each other: for each exchange of the first the number of its partner in the second. Partners ask the same of the
 * same address and stand in the same order (longest common subsequence by weight, after Wagner and Fischer 1974).
 */
function alignBy(first: readonly Exchange[], second: readonly Exchange[], weight: Weight): Map<number, number> {
  const width = second.length + 1;
  const weights = new Float32Array(first.length * second.length);
  const best = new Float32Array((first.length + 1) * width);
  const at = (i: number, j: number): number => best[i * width + j] ?? 0;
  for (let i = first.length - 1; i >= 0; i--)
    for (let j = second.length - 1; j >= 0; j--) {
      const [left, right] = [first[i], second[j]];
      const pairWeight = left && right ? weight(left, right) : 0;
      weights[i * second.length + j] = pairWeight;
      best[i * width + j] = Math.max(at(i + 1, j), at(i, j + 1), pairWeight > 0 ? pairWeight + at(i + 1, j + 1) : 0);
    }
  const pairs = new Map<number, number>();
  let i = 0;
  let j = 0;
  while (i < first.length && j < second.length) {
    const ownWeight = weights[i * second.length + j] ?? 0;
    if (ownWeight > 0 && at(i, j) <= ownWeight + at(i + 1, j + 1)) {
      const [left, right] = [first[i++], second[j++]];
      if (left && right) pairs.set(left.n, right.n);
    } else if (at(i + 1, j) >= at(i, j + 1)) i++;
    else j++;
  }
  return pairs;
}

/** The names of the fields or members of a request, or the words that a message says of its kind. */
function namesOf(exchange: Exchange, { readBody }: Pick<LoadedTake, 'readBody'>): string {
  // A message that nobody asked for is of the kind that it tells itself.
  const body = exchange.kind === 'message' && exchange.action === 'await' ? exchange.answer : sentBody(exchange);
  const text = body && (readBody(body.hash) ?? '');
  if (!text || text.length > 200_000) return '';
  const kind = bodyKind(exchange.kind === 'message' ? body.mimeType : sentType(exchange));
  const words =
    exchange.kind === 'message'
      ? kindWords(text)
          .map((word) => word.word)
          .join(' ')
      : '';
  if (kind === 'form')
    return text
      .split('&')
      .map((pair) => masked(pair.split('=')[0] ?? ''))
      .join('&');
  if (kind === 'json') return words + [...text.matchAll(/"(\w+)"\s*:/g)].map((match) => masked(match[1] ?? '')).join(',');
  return words;
}

/** Everything that two takes are compared by, read once. */
class Likeness {
  readonly #telling: Telling;
  readonly #addresses = new Map<Exchange, Address>();
  readonly #names = new Map<Exchange, string>();
  readonly #values = new Map<Exchange, Set<string>>();
  readonly #alike = new Map<string, boolean>();

  constructor(
    readonly first: Pick<LoadedTake, 'exchanges' | 'readBody'>,
    readonly second: Pick<LoadedTake, 'exchanges' | 'readBody'>,
  ) {
    this.#telling = new Telling([first, second], groupOf);
    for (const loaded of [first, second])
      for (const exchange of loaded.exchanges) {
        this.#addresses.set(exchange, addressOf(exchange));
        this.#names.set(exchange, namesOf(exchange, loaded));
        this.#values.set(exchange, new Set(askedValues(exchange, loaded.readBody).map(({ place, value }) => `${place}=${value}`)));
      }
  }

  #address(exchange: Exchange): Address {
    return this.#addresses.get(exchange) ?? addressOf(exchange);
  }

  /** True for two requests to the same address, ids aside; the same few addresses are asked again and again. */
  isAlike(left: Exchange, right: Exchange): boolean {
    const [leftAddress, rightAddress] = [this.#address(left), this.#address(right)];
    if (leftAddress.fixed !== rightAddress.fixed || leftAddress.segments.length !== rightAddress.segments.length) return false;
    const key = `${leftAddress.segments.join('/')} ${rightAddress.segments.join('/')}`;
    const known = this.#alike.get(key);
    if (known !== undefined) return known;
    const found = alike(leftAddress, rightAddress);
    this.#alike.set(key, found);
    return found;
  }

  readonly weight: Weight = (left, right) => {
    if (!this.isAlike(left, right)) return 0;
    const agreed = this.#telling.agreement(left, right);
    if (agreed === false) return 0;
    const [leftAddress, rightAddress] = [this.#address(left), this.#address(right)];
    const sameNames = leftAddress.names === rightAddress.names && this.#names.get(left) === this.#names.get(right);
    const samePath = leftAddress.segments.every((part, at) => part === rightAddress.segments[at]);
    return 4 + Math.min(agreed, 3) + (sameNames ? 3 : 0) + (samePath ? 2 : 0) + 2 * this.#shared(left, right);
  };

  /** The part of what two requests send that is the same, 0 to 1 (Jaccard 1901). */
  #shared(left: Exchange, right: Exchange): number {
    const [leftValues, rightValues] = [this.#values.get(left) ?? new Set(), this.#values.get(right) ?? new Set()];
    if (leftValues.size === 0 && rightValues.size === 0) return 1;
    let shared = 0;
    for (const value of leftValues) if (rightValues.has(value)) shared++;
    return shared / (leftValues.size + rightValues.size - shared);
  }
}

/** The exchanges of two takes in pairs that stand in the same order. */
export function alignTakes(first: LoadedTake, second: LoadedTake): Map<number, number> {
  return alignWith(new Likeness(first, second));
}

function alignWith(likeness: Likeness): Map<number, number> {
  const { first, second } = likeness;
  if (first.exchanges.length * second.exchanges.length > mostCells) return pairInOrder(first.exchanges, second.exchanges);
  return alignBy(first.exchanges, second.exchanges, likeness.weight);
}

function pairInOrder(first: readonly Exchange[], second: readonly Exchange[]): Map<number, number> {
  const waiting = new Map<string, Exchange[]>();
  const name = (exchange: Exchange) => `${groupOf(exchange)} ${addressOf(exchange).names}`;
  for (const exchange of second) {
    const list = waiting.get(name(exchange));
    if (list) list.push(exchange);
    else waiting.set(name(exchange), [exchange]);
  }
  const pairs = new Map<number, number>();
  for (const exchange of first) {
    const partner = waiting.get(name(exchange))?.shift();
    if (partner) pairs.set(exchange.n, partner.n);
  }
  return pairs;
}

/** Two takes in pairs: those in the same order, and those that only stand at another place of the flow. */
export interface TakePairs {
  inOrder: Map<number, number>;
  moved: Map<number, number>;
}

export function pairTakes(first: LoadedTake, second: LoadedTake): TakePairs {
  const likeness = new Likeness(first, second);
  const inOrder = alignWith(likeness);
  const taken = new Set(inOrder.values());
  const spare = second.exchanges.filter((exchange) => !taken.has(exchange.n));
  const moved = new Map<number, number>();
  for (const exchange of first.exchanges) {
    if (inOrder.has(exchange.n)) continue;
    let best = { at: -1, weight: 0 };
    spare.forEach((otherExchange, at) => {
      const weight = likeness.weight(exchange, otherExchange);
      if (weight > best.weight) best = { at, weight };
    });
    const [found] = best.at >= 0 ? spare.splice(best.at, 1) : [];
    if (found) moved.set(exchange.n, found.n);
  }
  return { inOrder, moved };
}
