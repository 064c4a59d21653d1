import { sentNodes } from '../../actions/sent-parts.js';
import { isLeaf, type SentNode } from '../../actions/sent-values.js';
import type { StepOfTake } from '../find/candidates.js';

/** Fewer numbers make no series. */
const fewest = 3;

/**
 * Places where the client counts its requests: a number that goes up by one each time it is sent there, such as the id of a call in
 * JSON-RPC 2.0 (section 4).
 */
export function countersOf(steps: readonly StepOfTake[]): Set<string> {
  const series = new Map<string, number[]>();
  for (const { step } of steps) {
    const walk = (node: SentNode): void => {
      if (/^\d{1,9}$/.test(node.value) && isLeaf(node)) {
        const numbers = series.get(node.place);
        if (numbers) numbers.push(Number(node.value));
        else series.set(node.place, [Number(node.value)]);
      }
      node.kids.forEach(walk);
    };
    sentNodes(step).forEach(walk);
  }
  return new Set(
    [...series]
      .filter(([, all]) => all.length >= fewest && all.every((number, at) => at === 0 || number === (all[at - 1] ?? 0) + 1))
      .map(([place]) => place),
  );
}
