import type { Exchange } from '../../take/take.schema.js';
import { isLeaf, type SentNode } from '../../actions/sent-values.js';
import { groupOf } from './align.js';

/**
 * What the places of one call begin with: an item of a list of calls (JSON-RPC 2.0, 6), or a part of a multipart/mixed body that is a
 * request; undefined for what belongs to no batch.
 */
const callOf = ({ place, kids }: SentNode): string | undefined =>
  /^json:\/\d+\//.exec(place)?.[0] ?? (kids.some((kid) => kid.place === `${place}/target`) ? place : undefined);

/** The values of a body with those of change sets, which are batches within a batch, beside each other. */
const flat = (nodes: readonly SentNode[]): SentNode[] =>
  nodes.flatMap((node) => {
    const inSet = node.kids.length > 0 && node.kids.every((kid) => kid.place.startsWith(`${node.place}/part:`));
    return inSet ? flat(node.kids) : [node];
  });

/** A body that is one call by itself. */
const wholeBody = 'json:/';

/** Where a call stands: its exchange, and what the places of what it sends begin with. */
export interface CallPlace {
  exchange: number;
  at: string;
}

interface Call extends CallPlace {
  /** Names of what it sends, and the words among the values. */
  asks: string;
  names: string;
}

/** The requests of one take with what they send. */
export interface CallSide {
  exchanges: ReadonlyMap<number, Exchange>;
  nodes: ReadonlyMap<number, readonly SentNode[]>;
}

const isBatch = (nodes: readonly SentNode[]): boolean => flat(nodes).some((node) => callOf(node) !== undefined);
const isLone = (nodes: readonly SentNode[]): boolean => !isBatch(nodes) && nodes.some((node) => node.place.startsWith(wholeBody));

/** What a value says of what is asked: a word as it is, a target without its numbers; undefined where it says nothing. */
function wordOf({ place, value }: SentNode): string | undefined {
  if (place.endsWith('/target')) return value.replace(/\d+/g, '#');
  return /^[A-Za-z_][\w.:/-]{0,79}$/.test(value) ? value : undefined;
}

function callsOf(exchange: number, nodes: readonly SentNode[]): Call[] {
  const calls = new Map<string, { names: string[]; words: string[] }>();
  for (const node of flat(nodes)) {
    const at = callOf(node) ?? (node.place.startsWith(wholeBody) ? wholeBody : undefined);
    if (at === undefined) continue;
    const call = calls.get(at) ?? { names: [], words: [] };
    calls.set(at, call);
    const add = (inner: SentNode): void => {
      const rest = inner.place.slice(at.length);
      call.names.push(rest);
      const word = isLeaf(inner) || inner.place.endsWith('/target') ? wordOf(inner) : undefined;
      if (word !== undefined) call.words.push(`${rest}=${word}`);
      if (at === node.place) inner.kids.forEach(add);
    };
    add(node);
  }
  return [...calls].map(([at, { names, words }]) => ({ exchange, at, names: names.join(' '), asks: [...names, ...words].join(' ') }));
}

/** By exchange of the first take, for each call in it, where the same call stands in the second take. */
export type CallPairs = Map<number, Map<string, CallPlace>>;

/**
 * Which call of a batch in one take is which in the other: calls that ask the same, in their order, then those that send the same names.
 * First within requests that are partners; what is left over is looked for in the other requests to that address, because a client may
 * put its calls together otherwise each time, or send one by itself.
 */
export function pairCalls(first: CallSide, second: CallSide, partners: ReadonlyMap<number, number>): CallPairs {
  const pairs: CallPairs = new Map();
  const taken = new Set<string>();
  const keyOf = ({ exchange, at }: CallPlace): string => `${exchange} ${at}`;
  const pair = (calls: readonly Call[], otherCalls: readonly Call[]): void => {
    for (const key of ['asks', 'names'] as const)
      for (const call of calls) {
        const known = pairs.get(call.exchange);
        if (known?.has(call.at)) continue;
        const found = otherCalls.find((otherCall) => !taken.has(keyOf(otherCall)) && otherCall[key] === call[key]);
        if (!found) continue;
        taken.add(keyOf(found));
        pairs.set(call.exchange, (known ?? new Map<string, CallPlace>()).set(call.at, { exchange: found.exchange, at: found.at }));
      }
  };
  const left = new Map<string, Call[]>();
  const right = new Map<string, Call[]>();
  const add = (to: Map<string, Call[]>, side: CallSide, n: number, calls: readonly Call[]): void => {
    const exchange = side.exchanges.get(n);
    if (exchange) to.set(groupOf(exchange), [...(to.get(groupOf(exchange)) ?? []), ...calls]);
  };
  const seen = new Set<number>();
  for (const [n, nodes] of first.nodes) {
    const partner = partners.get(n);
    const there = partner === undefined ? [] : (second.nodes.get(partner) ?? []);
    // Two lone calls that are partners need nothing more.
    if (partner !== undefined && !isBatch(nodes) && !isBatch(there)) {
      seen.add(partner);
      continue;
    }
    if (!isBatch(nodes) && !isLone(nodes)) continue;
    const calls = callsOf(n, nodes);
    if (partner !== undefined) pair(calls, callsOf(partner, there));
    add(left, first, n, calls);
  }
  for (const [n, nodes] of second.nodes) if (!seen.has(n) && (isBatch(nodes) || isLone(nodes))) add(right, second, n, callsOf(n, nodes));
  for (const [group, leftCalls] of left) {
    const rightCalls = right.get(group) ?? [];
    if ([...leftCalls, ...rightCalls].some((call) => call.at !== wholeBody)) pair(leftCalls, rightCalls);
  }
  return pairs;
}

/** What one call sends, at the places where its partner in the other take stands. */
export function callNodes(nodes: readonly SentNode[], from: string, to: string): SentNode[] {
  const moved = (node: SentNode): SentNode => ({ ...node, place: node.place.replace(from, to), kids: node.kids.map(moved) });
  return flat(nodes)
    .filter((node) => (callOf(node) ?? wholeBody) === from && node.place.startsWith(from))
    .map(moved);
}

/** True for a place that belongs to a call. */
export const isInCall = (node: SentNode): boolean => isBatch([node]) || node.place.startsWith(wholeBody);

/** Where the answer to a call stands in the answer to a batch; undefined for what is answered in no list. */
const answerTo = (at: string): string | undefined => {
  const number = /^json:\/(\d+)\/$/.exec(at)?.[1];
  return number === undefined ? (at === wholeBody ? '$' : undefined) : `$[${number}]`;
};

/** The path into the answer to one call, as it leads to the answer to another one; undefined where it leads into no such answer. */
export function pathToCall(path: string, from: string, to: string): string | undefined {
  const [fromAnswer, toAnswer] = [answerTo(from), answerTo(to)];
  return fromAnswer !== undefined && toAnswer !== undefined && path.startsWith(fromAnswer)
    ? `${toAnswer}${path.slice(fromAnswer.length)}`
    : undefined;
}
