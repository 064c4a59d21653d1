import { headersOf, isStaticFile } from '../take/messages.js';
import { answerBody, answerHeaders, isRequest, sentBody, sentHeaders } from '../take/exchanges.js';
import type { Exchange, RequestExchange } from '../take/take.schema.js';
import { hostsOf, originOf } from './hosts.js';
import type { Survey } from './tidy.schema.js';

type ReadBody = (hash: string) => string | undefined;

const longestRead = 64_000;
const mostRead = 400;
const mostTokens = 400;
/** A value that nobody writes twice by chance: long enough, with digits. */
const token = /[A-Za-z0-9_-]{12,200}/g;
const isToken = (text: string): boolean => /\d/.test(text) && /[A-Za-z]/.test(text) && !/^\d{4}-\d\d-\d\d/.test(text);

const isSmall = (size: number | undefined): boolean => size !== undefined && size > 0 && size <= longestRead;

/** What might be left out, and may have an effect all the same: files and requests to hosts of which no page comes. */
const mayGive = (exchange: Exchange): exchange is RequestExchange =>
  exchange.kind === 'request' &&
  exchange.method === 'GET' &&
  isSmall(exchange.response?.body?.size) &&
  /script|json|text\/plain/i.test(exchange.response?.body?.mimeType ?? '');

/** Says of an exchange whether it would be left out: as a file, or with a host of which no page comes. */
function leftOutBy(hosts: Survey['hosts']): (exchange: Exchange) => boolean {
  const others = new Set(hosts.filter((host) => host.role === 'other').map((host) => host.origin));
  return (exchange) => (exchange.kind === 'request' && isStaticFile(exchange)) || others.has(originOf(exchange));
}

/** Hashes of the bodies that tell which of these have an effect. */
export function bodiesForEffects(exchanges: readonly Exchange[]): string[] {
  const isLeftOut = leftOutBy(hostsOf(exchanges.filter(isRequest)));
  const given = exchanges.filter(mayGive).filter(isLeftOut).slice(0, mostRead);
  if (given.length === 0) return [];
  return [
    ...given.flatMap((exchange) => exchange.response?.body?.hash ?? []),
    ...exchanges
      .map(sentBody)
      .filter((body) => isSmall(body?.size))
      .slice(0, mostRead)
      .flatMap((body) => body?.hash ?? []),
  ];
}

/** What would be left out and has an effect: exchanges, and hosts that then belong to the application. */
export interface Effects {
  exchanges: Set<number>;
  hosts: Survey['hosts'];
}

/** What would be left out, but gives something that is sent later: files are kept one by one, other hosts as a whole. */
export function effectsOf(exchanges: readonly Exchange[], hosts: Survey['hosts'], readBody: ReadBody): Effects {
  const giving = givingExchanges(exchanges, leftOutBy(hosts), readBody);
  const origins = new Set(exchanges.filter((exchange) => giving.has(exchange.n)).map(originOf));
  return {
    exchanges: new Set(
      exchanges
        .filter((exchange) => giving.has(exchange.n) && exchange.kind === 'request' && isStaticFile(exchange))
        .map((exchange) => exchange.n),
    ),
    hosts: hosts.map((host) =>
      host.role === 'other' && origins.has(host.origin)
        ? { ...host, role: 'application', reason: 'An answer of it gives a value that is sent later.' }
        : host,
    ),
  };
}

/**
 * Numbers of exchanges that would be left out, but whose answer gives something that is sent later: a value, or a cookie that nothing else
 * had set before.
 */
function givingExchanges(exchanges: readonly Exchange[], isLeftOut: (exchange: Exchange) => boolean, readBody: ReadBody): Set<number> {
  const found = new Set<number>();
  const setters = new Map<string, Exchange>();
  for (const exchange of exchanges)
    for (const line of headersOf(answerHeaders(exchange), 'set-cookie')) {
      const key = `${originOf(exchange)} ${line.split('=')[0]?.trim() ?? ''}`;
      if (!setters.has(key)) setters.set(key, exchange);
    }
  for (const [key, setter] of setters) {
    const [origin = '', name = ''] = key.split(' ');
    const isSent = exchanges.some(
      (later) =>
        later.n > setter.n &&
        !isLeftOut(later) &&
        originOf(later) === origin &&
        headersOf(sentHeaders(later), 'cookie').some((line) => line.split(';').some((pair) => pair.trim().startsWith(`${name}=`))),
    );
    if (isSent && isLeftOut(setter)) found.add(setter.n);
  }
  const given = exchanges.filter(mayGive).filter(isLeftOut).slice(0, mostRead);
  if (given.length === 0) return found;
  const sentAfter = new Map<string, number>();
  const pagesGave = new Map<string, number>();
  for (const exchange of exchanges) {
    if (isLeftOut(exchange)) continue;
    const texts = [
      exchange.url,
      ...sentHeaders(exchange)
        .filter(([name]) => !/^(cookie|user-agent|referer)$/i.test(name))
        .map(([, value]) => value),
    ];
    const body = sentBody(exchange);
    if (body && isSmall(body.size)) texts.push(readBody(body.hash) ?? '');
    for (const text of texts) for (const [word] of text.matchAll(token)) if (isToken(word)) sentAfter.set(word, exchange.n);
    const got = answerBody(exchange);
    const answer = got ? (readBody(got.hash) ?? '') : '';
    if (answer.length <= longestRead)
      for (const [word] of answer.matchAll(token)) if (isToken(word) && !pagesGave.has(word)) pagesGave.set(word, exchange.n);
  }
  for (const exchange of given) {
    const text = readBody(exchange.response?.body?.hash ?? '') ?? '';
    let count = 0;
    for (const [word] of text.matchAll(token)) {
      if (!isToken(word) || ++count > mostTokens) continue;
      if ((sentAfter.get(word) ?? 0) > exchange.n && (pagesGave.get(word) ?? Infinity) > exchange.n) found.add(exchange.n);
    }
  }
  return found;
}
