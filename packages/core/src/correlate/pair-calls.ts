import { isLeaf, type SentNode } from '../script/sent-values.js';

/** The number of a call in a body that is a list of calls (JSON-RPC 2.0, 6): the first member of its place. */
const callOf = (place: string): string | undefined => /^json:\/(\d+)\//.exec(place)?.[1];

interface Call {
  at: string;
  /** Names of what it sends, and the words among the values. */
  asks: string;
  names: string;
}

function callsOf(nodes: readonly SentNode[]): Call[] {
  const calls = new Map<string, { names: string[]; words: string[] }>();
  for (const node of nodes) {
    const at = callOf(node.place);
    if (at === undefined) continue;
    const own = calls.get(at) ?? { names: [], words: [] };
    calls.set(at, own);
    const rest = node.place.slice(`json:/${at}`.length);
    own.names.push(rest);
    if (isLeaf(node) && /^[A-Za-z_][\w.:/-]{0,79}$/.test(node.value)) own.words.push(`${rest}=${node.value}`);
  }
  return [...calls].map(([at, { names, words }]) => ({ at, names: names.join(' '), asks: [...names, ...words].join(' ') }));
}

/**
 * Which call of a batch in one take is which in the other: calls that ask the same, in their order, then those that send the same
 * names. Maps positions of the first to positions of the second; empty where the requests are no batches.
 */
export function pairCalls(left: readonly SentNode[], right: readonly SentNode[]): Map<string, string> {
  const [own, other] = [callsOf(left), callsOf(right)];
  const pairs = new Map<string, string>();
  if (own.length === 0 || other.length === 0) return pairs;
  const spare = [...other];
  for (const key of ['asks', 'names'] as const)
    for (const call of own) {
      if (pairs.has(call.at)) continue;
      const at = spare.findIndex((one) => one[key] === call[key]);
      const [found] = at >= 0 ? spare.splice(at, 1) : [];
      if (found) pairs.set(call.at, found.at);
    }
  return pairs;
}

/** The nodes of a batch, each at the place where its partner in the other take stands; those without a partner are left out. */
export function inOrderOf(nodes: readonly SentNode[], pairs: ReadonlyMap<string, string>): SentNode[] {
  const back = new Map([...pairs].map(([own, other]) => [other, own]));
  const moved = (node: SentNode, from: string, to: string): SentNode => ({
    ...node,
    place: node.place.replace(`json:/${from}/`, `json:/${to}/`),
    kids: node.kids.map((kid) => moved(kid, from, to)),
  });
  return nodes.flatMap((node) => {
    const at = callOf(node.place);
    if (at === undefined) return [node];
    const to = back.get(at);
    return to === undefined ? [] : [moved(node, at, to)];
  });
}
