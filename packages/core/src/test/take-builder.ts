import { createHash } from 'node:crypto';
import type { Header, LoadedTake, RequestExchange } from '../index.js';

/** A take of requests alone. */
export interface LoadedRequests extends LoadedTake {
  exchanges: RequestExchange[];
}

/** Builds a take by hand: each exchange takes 10 ms and starts 100 ms after the one before. */
export class TakeBuilder {
  readonly exchanges: RequestExchange[] = [];
  readonly #bodies = new Map<string, string>();

  add(request: [string, string, Header[]?, string?], response: [number, Header[], string?]): this {
    const [method, target, headers = [], body] = request;
    const [status, responseHeaders, text] = response;
    const n = this.exchanges.length + 1;
    this.exchanges.push({
      kind: 'request',
      n,
      startedAtMs: n * 100,
      durationMs: 10,
      method,
      url: `http://127.0.0.1:9${target}`,
      httpVersion: 'HTTP/1.1',
      requestHeaders: headers,
      requestBody: this.#put(body),
      response: { status, statusText: '', httpVersion: 'HTTP/1.1', headers: responseHeaders, body: this.#put(text) },
      failure: null,
      timings: { blocked: -1, dns: -1, connect: -1, tls: -1, send: 0, wait: 5, receive: 5 },
      harEntry: null,
    });
    return this;
  }

  load(): LoadedRequests {
    return {
      take: { id: 't', projectId: 'p', name: 'flow', startedAt: '2026-11-23T10:00:00.000Z', state: 'done', marks: [], harLog: null },
      exchanges: this.exchanges,
      readBody: (hash) => this.#bodies.get(hash),
    };
  }

  #put(text: string | undefined) {
    if (text === undefined) return null;
    const hash = createHash('sha256').update(text).digest('hex');
    this.#bodies.set(hash, text);
    return { hash, size: text.length, mimeType: 'text/plain' };
  }
}

export const html: Header[] = [['Content-Type', 'text/html']];
export const json: Header[] = [['Content-Type', 'application/json']];
export const form: Header[] = [['Content-Type', 'application/x-www-form-urlencoded']];
