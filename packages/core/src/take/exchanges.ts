import { headerOf, mediaType } from './messages.js';
import type { BodyRef, Exchange, Header, RequestExchange } from './take.schema.js';

export const isRequest = (exchange: Exchange): exchange is RequestExchange => exchange.kind === 'request';

/** What was done, in a word: the method of a request, SEND, AWAIT or CLOSE for a message. */
export const verbOf = (exchange: Exchange): string => (exchange.kind === 'request' ? exchange.method : exchange.action.toUpperCase());

/** The headers that were sent; a message has none. */
export const sentHeaders = (exchange: Exchange): readonly Header[] => (exchange.kind === 'request' ? exchange.requestHeaders : []);

/** The headers that came back; a message has none. */
export const answerHeaders = (exchange: Exchange): readonly Header[] =>
  exchange.kind === 'request' ? (exchange.response?.headers ?? []) : [];

/** The body that was sent; null where there was none. */
export const sentBody = (exchange: Exchange): BodyRef | null => (exchange.kind === 'request' ? exchange.requestBody : exchange.sent);

/** The body that came back; null where there was none. */
export const answerBody = (exchange: Exchange): BodyRef | null =>
  exchange.kind === 'request' ? (exchange.response?.body ?? null) : exchange.answer;

/** Media type of the body that was sent: what its header says, else what was kept with it. */
export const sentType = (exchange: Exchange): string =>
  mediaType([['content-type', headerOf(sentHeaders(exchange), 'content-type') ?? sentBody(exchange)?.mimeType ?? '']]);
