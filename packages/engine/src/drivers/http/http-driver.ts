import { brotliDecompressSync, gunzipSync, inflateSync } from 'node:zlib';
import { headerOf, type Header, type Timings } from '@sturdy/core';
import { Client, type Dispatcher } from 'undici';
import type { Driver, WireRequest, WireResponse } from '../driver.js';
import { timedConnector, type ConnectTimes } from './timed-connector.js';
import { failureSentence } from './failure-sentence.js';
import { UserCookies } from './user-cookies.js';

export interface HttpDriverOptions {
  /** ms until a connection must stand. */
  connectLimitMs?: number;
  /** ms from the start of a request to its last byte. */
  answerLimitMs?: number;
  /** Bodies above this many bytes are cut. */
  bodyLimitBytes?: number;
  /** True for an origin that may be hit; asked for redirects too. */
  allows: (origin: string) => boolean;
}

const mostRedirects = 10;

/** HTTP/1.1 over undici: own connections, own cookies (RFC 6265), timings of every phase. */
export class HttpDriver implements Driver {
  readonly #cookies = new UserCookies();
  readonly #clients = new Map<string, { client: Client; connect: ConnectTimes | null }>();

  constructor(readonly options: HttpDriverOptions) {}

  async send(request: WireRequest): Promise<WireResponse> {
    let current = request;
    let response = await this.#once(current);
    for (let hop = 0; current.followRedirects && hop < mostRedirects && response.status >= 300 && response.status < 400; hop++) {
      const location = headerOf(response.headers, 'location');
      if (location === undefined) break;
      // RFC 9110, 10.2.2: resolved against the target of the request (RFC 3986, 5.2).
      const next = new URL(location, current.origin + current.target);
      const keepsMethod = response.status === 307 || response.status === 308 || current.method === 'GET' || current.method === 'HEAD';
      current = {
        ...current,
        origin: next.origin,
        target: next.pathname + next.search,
        ...(keepsMethod ? {} : { method: 'GET', body: null, headers: current.headers.filter(([name]) => !/^content-/i.test(name)) }),
      };
      const hopped = await this.#once(current);
      response = {
        ...hopped,
        durationMs: response.durationMs + hopped.durationMs,
        bytesIn: response.bytesIn + hopped.bytesIn,
        bytesOut: response.bytesOut + hopped.bytesOut,
      };
    }
    return response;
  }

  async reset(): Promise<void> {
    this.#cookies.clear();
    await this.close();
  }

  async close(): Promise<void> {
    const clients = [...this.#clients.values()];
    this.#clients.clear();
    await Promise.all(clients.map(({ client }) => client.destroy()));
  }

  #client(origin: string): { client: Client; connect: ConnectTimes | null } {
    const known = this.#clients.get(origin);
    if (known && !known.client.destroyed) return known;
    const made: { client: Client; connect: ConnectTimes | null } = {
      connect: null,
      client: new Client(origin, {
        pipelining: 1,
        connect: timedConnector(this.options.connectLimitMs ?? 10_000, (times) => (made.connect = times)),
        headersTimeout: 0,
        bodyTimeout: 0,
      }),
    };
    this.#clients.set(origin, made);
    return made;
  }

  #once(request: WireRequest): Promise<WireResponse> {
    if (!this.options.allows(request.origin))
      return Promise.resolve(
        this.#failed(
          `${request.origin} is not an allowed target, so nothing was sent. Add it to the environment if it is yours to test.`,
          [],
          0,
        ),
      );
    const own = this.#client(request.origin);
    const cookies = this.#cookies.headerFor(request.origin + request.target);
    const sentHeaders: Header[] = request.headers.map(([name, value]) =>
      // What cannot be decoded here is not asked for.
      name.toLowerCase() === 'accept-encoding' ? [name, value.replace(/,?\s*zstd/i, '')] : [name, value],
    );
    if (cookies !== '') sentHeaders.push(['Cookie', cookies]);
    const flat: string[] = [];
    for (const [name, value] of sentHeaders) flat.push(name, value);
    const bytesOut =
      (request.body === null ? 0 : Buffer.byteLength(request.body)) +
      flat.reduce((sum, text) => sum + text.length + 2, request.target.length + 16);

    return new Promise((done) => {
      const started = performance.now();
      let sentAt = started;
      let firstByteAt = 0;
      let status = 0;
      let statusText = '';
      let headers: Header[] = [];
      let bytesIn = 0;
      let wanted = false;
      const chunks: Buffer[] = [];
      let kept = 0;
      own.connect = null;
      let abortWith: ((reason: Error) => void) | null = null;
      const limitMs = this.options.answerLimitMs ?? 60_000;
      const timer = setTimeout(() => abortWith?.(new Error(`no complete answer within ${limitMs} ms`)), limitMs);
      const timings = (end: number): Timings => {
        const connect = own.connect;
        const connecting = connect ? Math.max(0, connect.dns) + Math.max(0, connect.connect) + Math.max(0, connect.tls) : 0;
        return {
          blocked: Math.max(0, sentAt - started - connecting),
          dns: connect?.dns ?? -1,
          connect: connect?.connect ?? -1,
          tls: connect?.tls ?? -1,
          send: 0,
          wait: firstByteAt > 0 ? firstByteAt - sentAt : end - sentAt,
          receive: firstByteAt > 0 ? end - firstByteAt : 0,
        };
      };
      const handler: Dispatcher.DispatchHandler = {
        onRequestStart: (controller) => {
          sentAt = performance.now();
          abortWith = (reason) => {
            controller.abort(reason);
          };
        },
        onResponseStart: (controller, code, _headers, message) => {
          firstByteAt = performance.now();
          status = code;
          statusText = message ?? '';
          headers = pairs(controller.rawHeaders as Buffer[] | null);
          wanted = request.wantsBody(code, headers);
        },
        onResponseData: (_controller, chunk) => {
          bytesIn += chunk.length;
          if (!wanted || kept >= (this.options.bodyLimitBytes ?? 16 << 20)) return;
          chunks.push(chunk);
          kept += chunk.length;
        },
        onResponseEnd: () => {
          clearTimeout(timer);
          const ended = performance.now();
          this.#cookies.keep(headers, request.origin, request.target);
          let body: Uint8Array | null = null;
          let failure: string | null = null;
          if (wanted)
            try {
              body = decoded(Buffer.concat(chunks), headerOf(headers, 'content-encoding'));
            } catch (error) {
              failure = `The body could not be decoded: ${error instanceof Error ? error.message : 'unknown reason'}.`;
            }
          done({
            status,
            statusText,
            headers,
            body,
            failure,
            sentHeaders,
            timings: timings(ended),
            durationMs: ended - started,
            bytesIn,
            bytesOut,
          });
        },
        onResponseError: (_controller, error) => {
          clearTimeout(timer);
          const ended = performance.now();
          done({
            ...this.#failed(failureSentence(error, request.origin, request.target), sentHeaders, ended - started),
            bytesIn,
            bytesOut,
            timings: timings(ended),
          });
        },
      };
      try {
        own.client.dispatch({ path: request.target, method: request.method, headers: flat, body: request.body }, handler);
      } catch (error) {
        clearTimeout(timer);
        done(this.#failed(failureSentence(error, request.origin, request.target), sentHeaders, performance.now() - started));
      }
    });
  }

  #failed(failure: string, sentHeaders: Header[], durationMs: number): WireResponse {
    const none = -1;
    return {
      status: 0,
      statusText: '',
      headers: [],
      body: null,
      failure,
      sentHeaders,
      timings: { blocked: none, dns: none, connect: none, tls: none, send: none, wait: none, receive: none },
      durationMs,
      bytesIn: 0,
      bytesOut: 0,
    };
  }
}

function pairs(raw: readonly (Buffer | string)[] | null): Header[] {
  const found: Header[] = [];
  for (let at = 0; raw && at + 1 < raw.length; at += 2) found.push([String(raw[at]), String(raw[at + 1])]);
  return found;
}

function decoded(bytes: Buffer, encoding: string | undefined): Uint8Array {
  switch (encoding?.toLowerCase()) {
    case 'gzip':
    case 'x-gzip':
      return gunzipSync(bytes);
    case 'br':
      return brotliDecompressSync(bytes);
    case 'deflate':
      return inflateSync(bytes);
    default:
      return bytes;
  }
}
