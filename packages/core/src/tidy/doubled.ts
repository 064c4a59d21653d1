import { headerOf } from '../take/messages.js';
import type { Exchange } from '../take/take.schema.js';

/** Clocks of a browser's parts differ by this much, ms. */
const slackMs = 5;

/** A request that went over the network names its host (RFC 9112, 3.2; RFC 9113, 8.3.1). */
const namesItsHost = (one: Exchange): boolean =>
  headerOf(one.requestHeaders, 'host') !== undefined || headerOf(one.requestHeaders, ':authority') !== undefined;

/** Where a browser exports both, this member says that a service worker answered. Seen in exports of Chromium's developer tools; no standard. */
const saysWorker = (one: Exchange): boolean =>
  (one.harEntry as { _fetchedViaServiceWorker?: unknown } | null)?._fetchedViaServiceWorker === true;

const sameQuestion = (one: Exchange): string => `${one.method} ${one.url} ${one.requestBody?.hash ?? ''}`;

const hasBody = (one: Exchange): boolean => (one.response?.body?.size ?? 0) > 0;

/**
 * Requests that stand twice because a service worker of the page sent them on (Service Workers, 4.5): once as the page asked, once, while
 * that one waited, as the worker sent it over the network. Of each pair the one with the lesser answer is given, to be left out.
 */
export function doubledByWorker(exchanges: readonly Exchange[]): Exchange[] {
  if (!exchanges.some(namesItsHost)) return [];
  const inNetwork = new Map<string, Exchange[]>();
  for (const one of exchanges)
    if (namesItsHost(one) && !saysWorker(one)) inNetwork.set(sameQuestion(one), [...(inNetwork.get(sameQuestion(one)) ?? []), one]);
  const doubled: Exchange[] = [];
  const paired = new Map<Exchange, Exchange>();
  for (const asked of exchanges) {
    if (asked.socket || (namesItsHost(asked) && !saysWorker(asked))) continue;
    const sent = inNetwork
      .get(sameQuestion(asked))
      ?.find((one) => one.startedAtMs >= asked.startedAtMs - slackMs && one.startedAtMs <= asked.startedAtMs + asked.durationMs + slackMs);
    if (!sent) continue;
    const kept = paired.get(sent) ?? sent;
    const isBetter = (asked.response?.status ?? 0) > 0 && asked.failure === null && hasBody(asked) && !hasBody(kept);
    doubled.push(isBetter ? kept : asked);
    paired.set(sent, isBetter ? asked : kept);
  }
  return doubled;
}
