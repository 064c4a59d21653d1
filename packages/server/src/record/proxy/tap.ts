import type { Header, Timings } from '@sturdy/core';

/** The head of a request as the client sent it. */
export interface RequestHead {
  method: string;
  url: string;
  httpVersion: string;
  headers: Header[];
}

/** The head of a response as the target sent it. */
export interface ResponseHead {
  status: number;
  statusText: string;
  httpVersion: string;
  headers: Header[];
}

/** One message of a WebSocket, put together from its frames (RFC 6455, 5). */
export interface SocketMessage {
  from: 'client' | 'server';
  kind: 'text' | 'binary' | 'ping' | 'pong' | 'close';
  data: Buffer;
}

/** Hears of one exchange while it passes through the proxy. Must be quick: it is called between two packets. */
export interface ExchangeTap {
  requestData: (chunk: Buffer) => void;
  response: (head: ResponseHead) => void;
  responseData: (chunk: Buffer) => void;
  message: (message: SocketMessage) => void;
  /** The last that is heard. `failure` says in a sentence what kept the exchange from being complete. */
  end: (timings: Timings, failure: string | null) => void;
}

/** Hears of everything that passes through the proxy. */
export interface ProxyTap {
  /** An exchange has begun; null where it is passed on but not kept. */
  begin: (head: RequestHead) => ExchangeTap | null;
  /** A request to a host to which nothing may be sent; `why` is a sentence. */
  refused: (origin: string, why: string) => void;
  /** A certificate that one side did not accept: the client ours, or we the target's. */
  certificateRefused: (host: string, by: 'client' | 'proxy', reason: string) => void;
}

/** Raw headers of Node.js, names and values in turn, as pairs; pseudo-headers of HTTP/2 are left out. */
export function headerPairs(raw: readonly string[]): Header[] {
  const pairs: Header[] = [];
  for (let at = 0; at + 1 < raw.length; at += 2) if (!raw[at]?.startsWith(':')) pairs.push([raw[at] ?? '', raw[at + 1] ?? '']);
  return pairs;
}

export const flat = (headers: readonly Header[]): string[] => headers.flatMap(([name, value]) => [name, value]);
