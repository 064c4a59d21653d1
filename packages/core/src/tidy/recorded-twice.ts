import { isStaticFile } from '../take/messages.js';
import type { RequestExchange } from '../take/take.schema.js';
import { questionOf } from './polling.js';

const fewest = 4;
/** Above this the table of the search would be too large. */
const mostCompared = 3000;

/** A part of a take that was done twice. */
export interface RecordedTwice {
  first: number[];
  again: number[];
}

/**
 * The longest sequence of requests that stands twice in a take, one after the other, and that does something (a request that
 * is no GET); null where there is none. Polls must be left out before.
 */
export function recordedTwice(exchanges: readonly RequestExchange[]): RecordedTwice | null {
  const ownExchanges = exchanges.filter((exchange) => !isStaticFile(exchange)).slice(0, mostCompared);
  const keys = ownExchanges.map(questionOf);
  // How many requests up to each place do something.
  const doing = [0];
  for (const exchange of ownExchanges) doing.push((doing.at(-1) ?? 0) + (exchange.method === 'GET' ? 0 : 1));
  let best = { length: 0, first: 0, again: 0 };
  // Length of the common part that ends at both places; only the row before is needed.
  let before = new Uint16Array(keys.length + 1);
  for (let i = 0; i < keys.length; i++) {
    const row = new Uint16Array(keys.length + 1);
    for (let j = i + 1; j < keys.length; j++) {
      if (keys[i] !== keys[j]) continue;
      const length = Math.min((before[j] ?? 0) + 1, j - i);
      row[j + 1] = length;
      if (length > best.length && (doing[i + 1] ?? 0) > (doing[i - length + 1] ?? 0))
        best = { length, first: i - length + 1, again: j - length + 1 };
    }
    before = row;
  }
  if (best.length < fewest) return null;
  const numbers = (from: number) => ownExchanges.slice(from, from + best.length).map((exchange) => exchange.n);
  return { first: numbers(best.first), again: numbers(best.again) };
}
