import { unfoldSockets, type Exchange, type Take } from '@sturdy/core';
import type { Store } from './store-client.js';
import { storedBody, type StoredBody } from './stored-body.js';

/**
 * Makes the messages over WebSockets of a take that has been recorded or imported exchanges of their own, so that scripts can be made of
 * them. Numbers of exchanges may change by it; warnings follow. Resolves with the take as it is then.
 */
export async function unfoldTake(
  store: Pick<Store, 'putBodies' | 'replaceExchanges'>,
  take: Take,
  exchanges: readonly Exchange[],
): Promise<Take> {
  if (exchanges.some((one) => one.socket)) return take;
  const bodies: StoredBody[] = [];
  const unfolded = unfoldSockets(exchanges, {
    put: (bytes, mimeType) => {
      const { stored, ref } = storedBody(bytes, mimeType);
      bodies.push(stored);
      return ref;
    },
  });
  if (unfolded.exchanges.length === exchanges.length) return take;
  await store.putBodies(bodies);
  const warnings = take.warnings?.map((one) => ({
    ...one,
    exchange: one.exchange === null ? null : (unfolded.numbers.get(one.exchange) ?? one.exchange),
  }));
  await store.replaceExchanges(take.id, unfolded.exchanges);
  return { ...take, ...(warnings && { warnings }) };
}
