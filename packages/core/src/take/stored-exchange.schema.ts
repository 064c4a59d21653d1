import * as z from 'zod';
import { isMembers } from '../members.js';
import { ExchangeSchema } from './take.schema.js';

/** An exchange with its kind. Earlier versions stored none, and messages over WebSockets as requests with a `socket`. */
function withKind(stored: unknown): unknown {
  if (!isMembers(stored) || 'kind' in stored) return stored;
  const { socket, ...exchange } = stored;
  if (!isMembers(socket)) return { kind: 'request', ...exchange };
  const { n, startedAtMs, durationMs, url, requestBody: sent, response } = exchange;
  return { kind: 'message', n, startedAtMs, durationMs, url, ...socket, sent, answer: isMembers(response) ? response['body'] : null };
}

/** An exchange as it was stored, by this version or an earlier one. */
export const StoredExchangeSchema = z.preprocess(withKind, ExchangeSchema);
