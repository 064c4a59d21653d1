import { headerOf } from '../take/messages.js';
import type { Exchange } from '../take/take.schema.js';

/** Clocks of a browser's parts differ by this much, ms. */
const slackMs = 5;

/** A request that went over the network names its host (RFC 9112, 3.2; RFC 9113, 8.3.1). */
const namesItsHost = (exchange: Exchange): boolean =>
  headerOf(exchange.requestHeaders, 'host') !== undefined || headerOf(exchange.requestHeaders, ':authority') !== undefined;

/** Where a browser exports both, this member says that a service worker answered. Seen in exports of Chromium's developer tools; no standard. */
const saysWorker = (exchange: Exchange): boolean =>
  (exchange.harEntry as { _fetchedViaServiceWorker?: unknown } | null)?._fetchedViaServiceWorker === true;

const sameQuestion = (exchange: Exchange): string => `${exchange.method} ${exchange.url} ${exchange.requestBody?.hash ?? ''}`;

const hasBody = (exchange: Exchange): boolean => (exchange.response?.body?.size ?? 0) > 0;

/**
 * Requests that stand twice because a service worker of the page sent them on (Service Workers, 4.5): once as the page asked, once, while
 * that one waited, as the worker sent it over the network. Of each pair the one with the lesser answer is given, to be left out.
 */
export function doubledByWorker(exchanges: readonly Exchange[]): Exchange[] {
  if (!exchanges.some(namesItsHost)) return [];
  const inNetwork = new Map<string, Exchange[]>();
  for (const exchange of exchanges)
    if (namesItsHost(exchange) && !saysWorker(exchange))
      inNetwork.set(sameQuestion(exchange), [...(inNetwork.get(sameQuestion(exchange)) ?? []), exchange]);
  const doubled: Exchange[] = [];
  const paired = new Map<Exchange, Exchange>();
  for (const asked of exchanges) {
    if (asked.socket || (namesItsHost(asked) && !saysWorker(asked))) continue;
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
