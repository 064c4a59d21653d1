import { bodyKind, headerOf, isStaticFile, mediaType, pathAndQuery, pathShape } from '../take/messages.js';
import type { RequestExchange, Mark } from '../take/take.schema.js';
import { isPage } from './warnings.js';
import { originOf } from './hosts.js';
import type { Survey } from './tidy.schema.js';

const fewest = 4;
const shortestMs = 300;
/** This part of the intervals lies within a quarter of their median. */
const regularPart = 0.6;

/** What makes two requests the same question: method, origin, path with ids masked, and the names in the query. */
export const questionOf = (exchange: RequestExchange): string =>
  `${exchange.method} ${originOf(exchange)}${pathShape(pathAndQuery(exchange.url))}`;

/** Names under which page scripts send their clocks and counters with a poll; common practice, no source. */
const clockName = /^(_+|t|ts|time|timestamp|now|seq|since|after|last|rnd|rand|n|cb|nocache|zx)$/i;

/** A query without what a timer counts. */
const maskedQuery = (query: string): string =>
  query
    .split('&')
    .map((pair) => {
      const [name = '', value = ''] = pair.split('=');
      return /^\d{10,19}$/.test(value) || (clockName.test(name) && /^[\d.]+$/.test(value)) ? `${name}=#` : pair;
    })
    .join('&');

/**
 * What makes two requests the same poll: the whole of what they send, clocks and counters of the address aside. A body counts to the last
 * byte, so that two acts that are posted to one address are never taken for one.
 */
export function pollKey(exchange: RequestExchange): string {
  const [path = '', query] = pathAndQuery(exchange.url).split('?');
  const asked = query === undefined ? '' : `?${maskedQuery(query)}`;
  const body = exchange.requestBody === null ? '' : ` ${exchange.requestBody.hash.slice(0, 16)}`;
  return `${exchange.method} ${originOf(exchange)}${path}${asked}${body}`;
}

/** A request that may be one of a poll: it asks, and its answer gives the client nothing to keep. */
function mayPoll(exchange: RequestExchange): boolean {
  const { response } = exchange;
  if (isStaticFile(exchange) || isPage(exchange) || response === null) return false;
  if (!/^(GET|HEAD|POST)$/.test(exchange.method)) return false;
  // What a form of a page posts is an act of a person, however often.
  if (
    exchange.method === 'POST' &&
    bodyKind(mediaType(response.headers)) === 'html' &&
    /navigate/i.test(headerOf(exchange.requestHeaders, 'sec-fetch-mode') ?? '')
  )
    return false;
  if (response.status < 200 || response.status >= 300) return response.status === 304;
  return headerOf(response.headers, 'location') === undefined && headerOf(response.headers, 'set-cookie') === undefined;
}

const kindOf = ({ response }: RequestExchange): string =>
  `${response?.status === 304 ? 200 : (response?.status ?? 0)} ${bodyKind(mediaType(response?.headers ?? []))}`;

/**
 * Requests that a page sends again and again by its own clock, whether they ask for news or only say that it is still there. Only intervals in
 * which nobody acted count, because what follows acts is no timer.
 */
export function pollsOf(exchanges: readonly RequestExchange[], marks: readonly Mark[] = []): Survey['polls'] {
  const groups = new Map<string, RequestExchange[]>();
  for (const exchange of exchanges) {
    if (!mayPoll(exchange)) continue;
    const key = pollKey(exchange);
    const list = groups.get(key);
    if (list) list.push(exchange);
    else groups.set(key, [exchange]);
  }
  const candidates = [...groups].filter(([, group]) => group.length >= fewest && new Set(group.map(kindOf)).size === 1);
  const polling = new Set(candidates.flatMap(([, group]) => group));
  const acts = [
    ...exchanges
      .filter(
        (exchange) =>
          !polling.has(exchange) && !isStaticFile(exchange) && (isPage(exchange) || !/^(GET|HEAD|OPTIONS)$/.test(exchange.method)),
      )
      .map((exchange) => exchange.startedAtMs),
    ...marks.filter((mark) => mark.kind === 'begin' || mark.kind === 'end').map((mark) => mark.atMs),
  ].sort((left, right) => left - right);
  const polls: Survey['polls'] = [];
  for (const [key, group] of candidates) {
    const gaps = group.slice(1).flatMap((exchange, index) => {
      const from = group[index]?.startedAtMs ?? 0;
      return hasBetween(acts, from, exchange.startedAtMs) ? [] : [exchange.startedAtMs - from];
    });
    const sorted = [...gaps].sort((left, right) => left - right);
    const median = sorted[Math.floor(sorted.length / 2)] ?? 0;
    const regular = gaps.filter((gap) => Math.abs(gap - median) <= median / 4).length;
    if (gaps.length < fewest - 1 || median < shortestMs || regular < regularPart * gaps.length) continue;
    const answers = new Set(group.map((exchange) => `${exchange.response?.status ?? 0} ${exchange.response?.body?.hash ?? ''}`));
    const [first] = group;
    polls.push({
      key,
      name: `${first?.method ?? ''} ${first ? (pathAndQuery(first.url).split('?')[0] ?? '/') : '/'}`,
      exchanges: group.map((exchange) => exchange.n),
      everyMs: Math.round(median),
      sameAnswer: answers.size === 1,
    });
  }
  return polls;
}

function hasBetween(sorted: readonly number[], from: number, to: number): boolean {
  let [low, high] = [0, sorted.length];
  while (low < high) {
    const at = (low + high) >> 1;
    if ((sorted[at] ?? 0) <= from) low = at + 1;
    else high = at;
  }
  return (sorted[low] ?? Infinity) < to;
}
