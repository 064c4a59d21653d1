import { unfoldSockets, type Exchange, type Take } from '@sturdy/core';
import { storedBody, type StoredBody } from './stored-body.js';

/** What is needed of the store. */
export interface UnfoldingStore {
  putBodies: (bodies: StoredBody[]) => Promise<unknown>;
  replaceExchanges: (takeId: string, exchanges: Exchange[]) => Promise<void>;
}

/**
 * Makes the messages over WebSockets of a take that has been recorded or imported exchanges of their own, so that scripts can be made of
 * them. Numbers of exchanges may change by it; warnings follow. Resolves with the take as it is then.
 */
export async function unfoldTake(store: UnfoldingStore, take: Take, exchanges: readonly Exchange[]): Promise<Take> {
  if (exchanges.some((exchange) => exchange.kind === 'message')) return take;
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
  const warnings = take.warnings?.map((warning) => ({
    ...warning,
    exchange: warning.exchange === null ? null : (unfolded.numbers.get(warning.exchange) ?? warning.exchange),
  }));
  await store.replaceExchanges(take.id, unfolded.exchanges);
  return { ...take, ...(warnings && { warnings }) };
}
