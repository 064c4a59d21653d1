import { bodyKind, mediaType, type FailureReason, type Header, type Timings } from '@sturdy/core';
import type { Driver, Outcome } from '../../contract/driver.js';
import type { MessageObservation, WireMessage } from './wire-message.js';

/** Every answer, or only one whose status or kind of content is not as expected: it may have to be shown. */
export type BodyRule = 'always' | { statuses: readonly number[]; content: string | null };

/** True where the body of an answer is kept. */
export const keepsBody = (rule: BodyRule, status: number, headers: readonly Header[]): boolean =>
  rule === 'always' || !rule.statuses.includes(status) || (rule.content !== null && bodyKind(mediaType(headers)) !== rule.content);

/** A request as a driver sends it. */
export interface WireRequest {
  method: string;
  origin: string;
  /** Path and query. */
  target: string;
  headers: Header[];
  body: Uint8Array | string | null;
  followRedirects: boolean;
  /** Whose body is kept; that of any other answer is counted and dropped. */
  keepsBody: BodyRule;
  /** The name of the WebSocket whose handshake it is; absent where it opens none. */
  opensSocket?: string;
  /** Asks for HTTP/2, over TLS. */
  http2?: boolean;
}

/** What came back. Where the exchange itself failed there is no status, and `failure` says why. */
export interface WireResponse {
  status: number;
  statusText: string;
  headers: Header[];
  body: Uint8Array | null;
  failure: FailureReason | null;
  /** Answers of the redirects that were followed, in order. */
  hops: { status: number; statusText: string; headers: Header[]; body: Uint8Array | null }[];
  /** Headers as they were sent, the cookies among them. */
  sentHeaders: Header[];
  timings: Timings;
  /** ms from the start of the request to the last byte. */
  durationMs: number;
  bytesIn: number;
  bytesOut: number;
  /** True where the user had it already, and nothing was sent. */
  fromCache?: boolean;
}

/** The way of one virtual user to applications over HTTP, with its cookies. */
export interface HttpUserDriver extends Driver<WireRequest, WireResponse> {
  send: (request: WireRequest) => Promise<WireResponse>;
  /** What goes over the WebSockets that its requests have opened. */
  messages: Driver<WireMessage, MessageObservation>;
  /** The user's cookies for an origin. */
  cookie: (origin: string, name: string) => string | undefined;
  setCookie: (origin: string, name: string, value: string) => void;
  deleteCookie: (origin: string, name: string) => void;
}

/** A response as the outcome of an action. */
export const outcomeOf = (response: WireResponse): Outcome<WireResponse> => ({
  failure: response.failure,
  durationMs: response.durationMs,
  phases: response.timings,
  bytesIn: response.bytesIn,
  bytesOut: response.bytesOut,
  observation: response,
});
