import type { FailureReason, Header, ResponseView, Timings } from '@sturdy/core';

/** A request as a driver sends it. */
export interface WireRequest {
  method: string;
  origin: string;
  /** Path and query. */
  target: string;
  headers: Header[];
  body: Uint8Array | string | null;
  followRedirects: boolean;
  /** Whether the body of a response with this status and headers is wanted; else it is counted and dropped. */
  wantsBody: (status: number, headers: readonly Header[]) => boolean;
  /** Present where the request opens a WebSocket or goes over one. */
  socket?: WireSocket;
  /** Asks for HTTP/2, over TLS. */
  http2?: boolean;
}

/** What is done with a WebSocket of the user; the body of the request is the message. */
export interface WireSocket {
  action: 'open' | 'send' | 'await' | 'close';
  /** The name by which the script knows it. */
  name: string;
  format: 'text' | 'binary';
  /** The message that is waited for; null where none is. */
  awaits: { accepts: (message: ResponseView) => boolean; atMostMs: number } | null;
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

/** One virtual user's way to the application: its connections and cookies. */
export interface Driver {
  send: (request: WireRequest) => Promise<WireResponse>;
  /** An iteration begins. */
  newIteration?: () => void;
  /** Forgets cookies and closes connections, as a new visitor would come. */
  reset: () => Promise<void>;
  close: () => Promise<void>;
  /** The user's cookies for an origin. */
  cookie: (origin: string, name: string) => string | undefined;
  setCookie: (origin: string, name: string, value: string) => void;
  deleteCookie: (origin: string, name: string) => void;
}
