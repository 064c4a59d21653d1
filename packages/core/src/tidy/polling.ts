import { isStaticFile, pathAndQuery, pathShape } from '../take/messages.js';
import type { Exchange } from '../take/take.schema.js';
import { originOf } from './hosts.js';
import type { Survey } from './tidy.schema.js';

const fewest = 4;
const shortestMs = 300;
/** This part of the intervals lies within a quarter of their median. */
const regularPart = 0.6;

/** What makes two requests the same question: method, origin, path with ids masked, and the names in the query. */
export const questionOf = (exchange: Exchange): string =>
  `${exchange.method} ${originOf(exchange)}${pathShape(pathAndQuery(exchange.url))}`;

/** Requests that a page sends again and again by its own clock, whether they ask for news or only say that it is still there. */
export function pollsOf(exchanges: readonly Exchange[]): Survey['polls'] {
  const groups = new Map<string, Exchange[]>();
  for (const one of exchanges) {
    if (isStaticFile(one) || one.socket) continue;
    const key = questionOf(one);
    const list = groups.get(key);
    if (list) list.push(one);
    else groups.set(key, [one]);
  }
  const polls: Survey['polls'] = [];
  for (const [key, own] of groups) {
    if (own.length < fewest) continue;
    const gaps = own.slice(1).map((one, index) => one.startedAtMs - (own[index]?.startedAtMs ?? 0));
    const sorted = [...gaps].sort((left, right) => left - right);
    const median = sorted[Math.floor(sorted.length / 2)] ?? 0;
    const regular = gaps.filter((gap) => Math.abs(gap - median) <= median / 4).length;
    if (median < shortestMs || regular < regularPart * gaps.length) continue;
    const answers = new Set(own.map((one) => `${one.response?.status ?? 0} ${one.response?.body?.hash ?? ''}`));
    const [first] = own;
    polls.push({
      key,
      name: `${first?.method ?? ''} ${first ? (pathAndQuery(first.url).split('?')[0] ?? '/') : '/'}`,
      exchanges: own.map((one) => one.n),
      everyMs: Math.round(median),
      sameAnswer: answers.size === 1,
    });
  }
  return polls;
}
