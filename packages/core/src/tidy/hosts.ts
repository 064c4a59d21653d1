import { bodyKind, headerOf, isStaticFile, mediaType, pathAndQuery } from '../take/messages.js';
import type { Exchange, RequestExchange } from '../take/take.schema.js';
import type { Survey } from './tidy.schema.js';

/** The origin of an exchange; a WebSocket counts to the origin that its handshake is sent to. */
export const originOf = (exchange: Pick<Exchange, 'url'>): string => new URL(exchange.url.replace(/^ws(s?):/i, 'http$1:')).origin;

const measuring =
  /(^|[/._-])(analytics?|telemetry|beacons?|collect|metrics|rum|stats|track(ing|er)?|pixel|csp-report|reports?-to)([/._-]|$)/i;

/** A request that only tells a measuring service something: its address says so, and its answer carries nothing. */
export function isTelemetry(exchange: RequestExchange): boolean {
  const { host } = new URL(exchange.url);
  const path = pathAndQuery(exchange.url).split('?')[0] ?? '';
  if (!measuring.test(host) && !measuring.test(path)) return false;
  const { response } = exchange;
  if (!response) return true;
  const size = response.body?.size ?? 0;
  // A form, or an answer that says something, may be business: “/tracking” is where parcels are followed, too.
  if (bodyKind(mediaType(exchange.requestHeaders)) === 'form' && !measuring.test(host)) return false;
  if (response.status === 204 || size <= saysNothing) return true;
  if (exchange.method !== 'GET') return false;
  return (mediaType(response.headers).startsWith('image/') && size < 100) || bodyKind(mediaType(response.headers)) === 'script';
}

/** An answer this short is “ok” or the like. */
const saysNothing = 4;

/** A page, a redirect or a form: what a person meets. */
const isMet = (exchange: RequestExchange): boolean => {
  const { response } = exchange;
  if (!response) return false;
  if (exchange.method === 'POST' && bodyKind(mediaType(exchange.requestHeaders)) === 'form') return true;
  const location = response.status >= 300 && response.status < 400 ? headerOf(response.headers, 'location') : undefined;
  // A redirect belongs to the flow where it leads to another site, as those of a sign-in elsewhere do; within its own it may be any file's.
  if (location !== undefined && URL.canParse(location, exchange.url))
    return siteOf(new URL(location, exchange.url).origin) !== siteOf(originOf(exchange));
  return response.status === 200 && bodyKind(mediaType(response.headers)) === 'html' && !isFramed(exchange);
};

const isFramed = (exchange: RequestExchange): boolean =>
  /^(i?frame|embed|object)$/i.test(headerOf(exchange.requestHeaders, 'sec-fetch-dest') ?? '');

/** The part of a host name that one owner has: its last two labels, or the whole address. */
const siteOf = (origin: string): string => {
  const { hostname } = new URL(origin);
  return /^[\d.]+$/.test(hostname) || hostname.startsWith('[') ? hostname : hostname.split('.').slice(-2).join('.');
};

/** The origins of a take with what they gave, and how each stands to the application. */
export function hostsOf(exchanges: readonly RequestExchange[]): Survey['hosts'] {
  const grouped = new Map<string, RequestExchange[]>();
  for (const exchange of exchanges) {
    const origin = originOf(exchange);
    const list = grouped.get(origin);
    if (list) list.push(exchange);
    else grouped.set(origin, [exchange]);
  }
  const first = exchanges.find(isMet) ?? exchanges[0];
  const home = first ? siteOf(originOf(first)) : '';
  return [...grouped].map(([origin, exchangesOfOrigin]) => {
    const base = {
      origin,
      requests: exchangesOfOrigin.length,
      bytes: exchangesOfOrigin.reduce((sum, exchange) => sum + (exchange.response?.body?.size ?? 0), 0),
      failed: exchangesOfOrigin.filter((exchange) => exchange.failure !== null || (exchange.response?.status ?? 0) >= 400).length,
    };
    const met = exchangesOfOrigin.filter(isMet).length;
    if (exchangesOfOrigin.every(isTelemetry))
      return { ...base, role: 'telemetry', reason: 'Its addresses are those of a measuring service, and its answers carry nothing.' };
    if (met > 0 && !(siteOf(origin) !== home && exchangesOfOrigin.every((exchange) => isTelemetry(exchange) || isStaticFile(exchange))))
      return {
        ...base,
        role: 'application',
        reason: met === 1 ? 'A page or redirect of the flow comes from it.' : `${met} pages or redirects of the flow come from it.`,
      };
    if (exchangesOfOrigin.every(isStaticFile))
      return { ...base, role: 'content', reason: 'It gave style sheets, scripts, images or fonts only.' };
    if (siteOf(origin) === home) return { ...base, role: 'application', reason: 'It belongs to the same host as the first page.' };
    if (exchangesOfOrigin.some((exchange) => !/^(GET|HEAD|OPTIONS)$/.test(exchange.method)))
      return { ...base, role: 'application', reason: 'Something was sent to it, so it may belong to the flow.' };
    return {
      ...base,
      role: 'other',
      reason: 'No page and no redirect of the flow comes from it, its name is another, and it was only asked.',
    };
  });
}
