import { looksLikeId, pathAndQuery, pathShape } from '../take/messages.js';
import type { Exchange } from '../take/take.schema.js';

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

/** Same request with other ids: where segments differ, at least one of them looks like an id. */
const alike = (left: Key, right: Key): boolean =>
  left.fixed === right.fixed &&
  left.segments.length === right.segments.length &&
  left.segments.every((part, at) => part === right.segments[at] || looksLikeId(part) || looksLikeId(right.segments[at] ?? ''));

/** True for two requests that ask the same, ids aside. */
export const isAlike = (left: Exchange, right: Exchange): boolean => alike(keyOf(left), keyOf(right));

/**
 * Lays two takes beside each other: for each exchange of the first the number of its partner in the second. Partners have
 * the same method and path shape and stand in the same order (longest common subsequence, Wagner and Fischer 1974).
 */
export function alignTakes(first: readonly Exchange[], second: readonly Exchange[]): Map<number, number> {
  const a = first.map(keyOf);
  const b = second.map(keyOf);
  const same = (i: number, j: number): boolean => {
    const [left, right] = [a[i], b[j]];
    return left !== undefined && right !== undefined && alike(left, right);
  };
  const width = b.length + 1;
  const longest = new Uint32Array((a.length + 1) * width);
  for (let i = a.length - 1; i >= 0; i--)
    for (let j = b.length - 1; j >= 0; j--)
      longest[i * width + j] = same(i, j)
        ? (longest[(i + 1) * width + j + 1] ?? 0) + 1
        : Math.max(longest[(i + 1) * width + j] ?? 0, longest[i * width + j + 1] ?? 0);
  const pairs = new Map<number, number>();
  let i = 0;
  let j = 0;
  while (i < a.length && j < b.length) {
    if (same(i, j)) {
      const [left, right] = [first[i++], second[j++]];
      if (left && right) pairs.set(left.n, right.n);
    } else if ((longest[(i + 1) * width + j] ?? 0) >= (longest[i * width + j + 1] ?? 0)) i++;
    else j++;
  }
  return pairs;
}
