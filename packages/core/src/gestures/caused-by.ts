import type { Exchange } from '../take/take.schema.js';
import type { Gesture } from '../take/gesture.schema.js';

/**
 * Which gesture caused each exchange, by its number: the last one that was done before the exchange began. What was typed acts while it is typed. Absent for
 * what came before the first gesture.
 */
export function causesOf(
  gestures: readonly Pick<Gesture, 'n' | 'atMs'>[],
  exchanges: readonly Pick<Exchange, 'n' | 'startedAtMs'>[],
): Map<number, number> {
  const ordered = [...gestures].sort((left, right) => left.atMs - right.atMs);
  const causes = new Map<number, number>();
  for (const { n, startedAtMs } of exchanges) {
    const cause = ordered.findLast(({ atMs }) => atMs <= startedAtMs);
    if (cause) causes.set(n, cause.n);
  }
  return causes;
}
