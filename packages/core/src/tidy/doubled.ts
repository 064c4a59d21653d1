import { headerOf } from '../take/messages.js';
import type { RequestExchange } from '../take/take.schema.js';

/** Clocks of a browser's parts differ by this much, ms. */
const slackMs = 5;

/** A request that went over the network names its host (RFC 9112, 3.2; RFC 9113, 8.3.1). */
const namesItsHost = (exchange: RequestExchange): boolean =>
  headerOf(exchange.requestHeaders, 'host') !== undefined || headerOf(exchange.requestHeaders, ':authority') !== undefined;

/** Where a browser exports both, this member says that a service worker answered. Seen in exports of Chromium's developer tools; no standard. */
const saysWorker = (exchange: RequestExchange): boolean =>
  (exchange.harEntry as { _fetchedViaServiceWorker?: unknown } | null)?._fetchedViaServiceWorker === true;

const sameQuestion = (exchange: RequestExchange): string => `${exchange.method} ${exchange.url} ${exchange.requestBody?.hash ?? ''}`;

const hasBody = (exchange: RequestExchange): boolean => (exchange.response?.body?.size ?? 0) > 0;

/**
 * Requests that stand twice because a service worker of the page sent them on (Service Workers, 4.5): once as the page asked, once, while
 * that one waited, as the worker sent it over the network. Of each pair the one with the lesser answer is given, to be left out.
 */
export function doubledByWorker(exchanges: readonly RequestExchange[]): RequestExchange[] {
  if (!exchanges.some(namesItsHost)) return [];
  const inNetwork = new Map<string, RequestExchange[]>();
  for (const exchange of exchanges)
    if (namesItsHost(exchange) && !saysWorker(exchange))
      inNetwork.set(sameQuestion(exchange), [...(inNetwork.get(sameQuestion(exchange)) ?? []), exchange]);
  const doubled: RequestExchange[] = [];
  const paired = new Map<RequestExchange, RequestExchange>();
  for (const asked of exchanges) {
    if (namesItsHost(asked) && !saysWorker(asked)) continue;
    const sent = inNetwork
      .get(sameQuestion(asked))
      ?.find(
        (exchange) =>
          exchange.startedAtMs >= asked.startedAtMs - slackMs && exchange.startedAtMs <= asked.startedAtMs + asked.durationMs + slackMs,
      );
    if (!sent) continue;
    const kept = paired.get(sent) ?? sent;
    const isBetter = (asked.response?.status ?? 0) > 0 && asked.failure === null && hasBody(asked) && !hasBody(kept);
    doubled.push(isBetter ? kept : asked);
    paired.set(sent, isBetter ? asked : kept);
  }
  return doubled;
}
