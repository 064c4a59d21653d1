import { randomBytes } from 'node:crypto';
import { Agent as HttpAgent, request as httpRequest, type ClientRequest, type IncomingMessage, type RequestOptions } from 'node:http';
import { connect as connectHttp2, type ClientHttp2Session } from 'node:http2';
import { Agent as HttpsAgent, request as httpsRequest } from 'node:https';
import type { LookupFunction, Socket } from 'node:net';
import type { Duplex, Readable } from 'node:stream';
import { connect as connectTls, type TLSSocket } from 'node:tls';
import { SignIn, type Environment, type Timings } from '@sturdy/core';
import { isCertificateError, lookupFor, TargetTls } from '@sturdy/engine';
import { HttpsProxyAgent } from 'https-proxy-agent';
import { clearedAddresses, type Reach } from '../../environments/reach.js';
import { flat, headerPairs, type RequestHead, type ResponseHead } from './tap.js';

/** Where requests go on to, and how: from the environment. */
export type UpstreamSettings = Pick<Environment, 'credentials' | 'trust' | 'upstreamProxy'> & Reach;

/** A response whose head has come; its body is still on the way. */
export interface UpstreamResponse {
  head: ResponseHead;
  body: Readable;
  /** Set where the target has switched protocols. */
  socket: { socket: Duplex; head: Buffer } | null;
}

/** Moments of one exchange in ms of `performance.now()`; a moment that did not come is NaN. */
export class Moments {
  readonly started = performance.now();
  socketAsked = NaN;
  lookedUp = NaN;
  connected = NaN;
  secured = NaN;
  ready = NaN;
  sent = NaN;
  firstByte = NaN;

  /** Phases after HAR 1.2; -1 where a phase did not happen. `ended` is the moment of the last byte. */
  timings(ended: number): Timings {
    const phase = (from: number, to: number) => (Number.isNaN(from) || Number.isNaN(to) ? -1 : Math.max(0, to - from));
    const known = (...moments: number[]) => moments.find((moment) => !Number.isNaN(moment)) ?? NaN;
    const ready = known(this.ready, this.started);
    const sent = known(this.sent, ready);
    const newConnection = !Number.isNaN(this.connected);
    return {
      blocked: newConnection ? phase(this.started, this.socketAsked) : phase(this.started, ready),
      dns: phase(this.socketAsked, this.lookedUp),
      connect: phase(known(this.lookedUp, this.socketAsked), this.connected),
      tls: phase(this.connected, this.secured),
      send: Math.max(0, phase(ready, sent)),
      wait: Number.isNaN(this.firstByte) ? phase(sent, ended) : phase(sent, this.firstByte),
      receive: Math.max(0, phase(this.firstByte, ended)),
    };
  }
}

/** A kept connection that was closed before anything came back on it. */
class StaleConnection extends Error {}

const mostSockets = 8;
const mostSignInRounds = 3;
const hopByHop = new Set(['proxy-connection', 'proxy-authorization', 'keep-alive']);

/**
 * The way of one client connection to its targets: connections of its own, because some ways of signing in hold for a
 * connection, and because the target shall see as many as the client opened.
 */
export class Upstream {
  readonly #agents = new Map<string, HttpAgent>();
  readonly #sessions = new Map<string, Promise<ClientHttp2Session | null>>();
  readonly #signIn: SignIn;

  constructor(
    readonly settings: UpstreamSettings,
    readonly tls: TargetTls,
    /** Told of a certificate of a target that was not accepted. */
    readonly certificateRefused: (host: string, reason: string) => void,
  ) {
    this.#signIn = new SignIn(settings.credentials, (count) => randomBytes(count), Date.now);
  }

  /** True where the body of a request has to be at hand whole, because it may have to be sent twice. */
  holdsBodies(origin: string): boolean {
    return this.#signIn.covers(origin);
  }

  /**
   * Sends a request on and resolves once the head of its response is there. `body` is a stream, or bytes where they are at
   * hand. Rejects with the error of the connection.
   */
  async send(
    head: RequestHead,
    body: Readable | Buffer | null,
    options: { http2: boolean; upgrade: boolean; moments: Moments; aborted: AbortSignal },
  ): Promise<UpstreamResponse> {
    const url = new URL(head.url);
    const signInRequest = {
      origin: url.origin,
      method: head.method,
      target: url.pathname + url.search,
      body: Buffer.isBuffer(body) ? body : Buffer.alloc(0),
    };
    let headers = this.#signIn.prepare(signInRequest, head.headers);
    for (let round = 0; ; round++) {
      const response = await this.#once({ ...head, headers }, url, body, options);
      if (response.head.status !== 401 || round >= mostSignInRounds || !this.holdsBodies(url.origin)) {
        if (response.head.status !== 401) this.#signIn.accepted(url.origin);
        return response;
      }
      const answer = this.#signIn.answer(signInRequest, response.head.headers);
      if (answer === null) return response;
      // The connection is free for the answer only once this body has been read to its end.
      for await (const _chunk of response.body);
      headers = [...head.headers.filter(([name]) => name.toLowerCase() !== 'authorization'), ['Authorization', answer]];
    }
  }

  close(): void {
    for (const agent of this.#agents.values()) agent.destroy();
    for (const session of this.#sessions.values()) void session.then((clientHttp2Session) => clientHttp2Session?.destroy());
  }

  async #once(
    head: RequestHead,
    url: URL,
    body: Readable | Buffer | null,
    options: { http2: boolean; upgrade: boolean; moments: Moments; aborted: AbortSignal },
  ): Promise<UpstreamResponse> {
    if (options.http2 && url.protocol === 'https:' && this.settings.upstreamProxy === '') {
      const session = await this.#session(url, options.moments);
      if (session) return sendHttp2(session, head, url, body, options);
    }
    for (let attempt = 0; ; attempt++) {
      try {
        return await this.#sendHttp1(head, url, body, options);
      } catch (error) {
        if (!(error instanceof StaleConnection)) throw error;
        // The target closed a kept connection just when it was taken up again: that is no answer to this request.
        if (options.aborted.aborted || attempt >= mostSockets) throw error.cause;
      }
    }
  }

  #sendHttp1(
    head: RequestHead,
    url: URL,
    body: Readable | Buffer | null,
    { upgrade, moments, aborted }: { upgrade: boolean; moments: Moments; aborted: AbortSignal },
  ): Promise<UpstreamResponse> {
    const headers = head.headers.filter(([name]) => !hopByHop.has(name.toLowerCase()));
    if (!headers.some(([name]) => name.toLowerCase() === 'host')) headers.unshift(['Host', url.host]);
    const secure = url.protocol === 'https:';
    const options: RequestOptions = {
      hostname: url.hostname.replace(/^\[|\]$/g, ''),
      port: url.port === '' ? (secure ? 443 : 80) : Number(url.port),
      method: head.method,
      path: url.pathname + url.search,
      headers: flat(headers),
      agent: this.#agent(secure),
      setHost: false,
      signal: aborted,
      // Behind a proxy the target is this machine, and the proxy looks it up.
      ...(this.settings.upstreamProxy === '' ? { lookup: this.#lookupFor(url.origin) } : {}),
      ...(secure ? this.tls.optionsFor(url.origin) : {}),
    };
    return new Promise((done, failed) => {
      const asked: ClientRequest = secure ? httpsRequest(options) : httpRequest(options);
      asked.once('socket', (socket) => {
        watchSocket(socket, moments);
      });
      asked.once('finish', () => (moments.sent = performance.now()));
      asked.once('response', (response) => {
        moments.firstByte = performance.now();
        done({ head: headOf(response), body: response, socket: null });
      });
      asked.once('upgrade', (response, socket, rest) => {
        moments.firstByte = performance.now();
        done({ head: headOf(response), body: response, socket: { socket, head: rest } });
      });
      asked.on('error', (error: NodeJS.ErrnoException) => {
        if (isCertificateError(error.code ?? '')) this.certificateRefused(url.host, error.message);
        const canRepeat = asked.reusedSocket && error.code === 'ECONNRESET' && (body === null || Buffer.isBuffer(body));
        failed(canRepeat ? new StaleConnection('', { cause: error }) : error);
      });
      if (Buffer.isBuffer(body)) asked.end(body);
      else if (body === null || upgrade) asked.end();
      else body.pipe(asked);
    });
  }

  /** Throws where the host of an origin is an address to which no connection may be made. */
  #lookupFor(origin: string): LookupFunction {
    return lookupFor(origin, clearedAddresses(this.settings, origin), this.settings.lookup);
  }

  #agent(secure: boolean): HttpAgent {
    const key = secure ? 'https' : 'http';
    const known = this.#agents.get(key);
    if (known) return known;
    const proxy = this.settings.upstreamProxy;
    const options = { keepAlive: true, maxSockets: mostSockets };
    const made: HttpAgent =
      proxy === '' ? (secure ? new HttpsAgent(options) : new HttpAgent(options)) : new HttpsProxyAgent(proxy, options);
    this.#agents.set(key, made);
    return made;
  }

  /** The HTTP/2 session with a target, or null where the target speaks HTTP/1.1 only. */
  #session(url: URL, moments: Moments): Promise<ClientHttp2Session | null> {
    const known = this.#sessions.get(url.origin);
    if (known) return known.then((session) => (session?.closed || session?.destroyed ? this.#newSession(url, moments) : session));
    return this.#newSession(url, moments);
  }

  #newSession(url: URL, moments: Moments): Promise<ClientHttp2Session | null> {
    const made = new Promise<ClientHttp2Session | null>((done, failed) => {
      moments.socketAsked = performance.now();
      const socket: TLSSocket = connectTls({
        host: url.hostname.replace(/^\[|\]$/g, ''),
        port: Number(url.port || 443),
        ALPNProtocols: ['h2', 'http/1.1'],
        lookup: this.#lookupFor(url.origin),
        ...this.tls.optionsFor(url.origin),
      });
      watchConnecting(socket, moments);
      socket.once('secureConnect', () => {
        if (socket.alpnProtocol === 'h2') {
          const session = connectHttp2(url.origin, { createConnection: () => socket });
          session.on('error', () => this.#sessions.delete(url.origin));
          done(session);
        } else {
          socket.destroy();
          done(null);
        }
      });
      socket.once('error', (error: NodeJS.ErrnoException) => {
        this.#sessions.delete(url.origin);
        if (isCertificateError(error.code ?? '')) this.certificateRefused(url.host, error.message);
        failed(error);
      });
    });
    this.#sessions.set(url.origin, made);
    return made;
  }
}

function sendHttp2(
  session: ClientHttp2Session,
  head: RequestHead,
  url: URL,
  body: Readable | Buffer | null,
  { moments, aborted }: { moments: Moments; aborted: AbortSignal },
): Promise<UpstreamResponse> {
  // HTTP/2 has no headers of a connection, and writes names in small letters (RFC 9113, 8.2).
  const dropped = new Set(['connection', 'host', 'transfer-encoding', 'upgrade', 'http2-settings', ...hopByHop]);
  const headers: Record<string, string | string[]> = {
    ':method': head.method,
    ':scheme': 'https',
    ':authority': url.host,
    ':path': url.pathname + url.search,
  };
  for (const [name, value] of head.headers) {
    const key = name.toLowerCase();
    if (dropped.has(key)) continue;
    const before = headers[key];
    headers[key] = before === undefined ? value : key === 'cookie' ? `${String(before)}; ${value}` : [before, value].flat();
  }
  return new Promise((done, failed) => {
    moments.ready = performance.now();
    const stream = session.request(headers, { endStream: body === null, signal: aborted });
    stream.once('finish', () => (moments.sent = performance.now()));
    stream.once('response', (_headers, _flags, raw?: string[]) => {
      moments.firstByte = performance.now();
      const list = raw ?? [];
      const status = Number(list[list.indexOf(':status') + 1] ?? 0);
      done({ head: { status, statusText: '', httpVersion: 'HTTP/2', headers: headerPairs(list) }, body: stream, socket: null });
    });
    stream.once('error', failed);
    stream.once('close', () => {
      failed(new Error('The target closed the stream before it answered.'));
    });
    if (Buffer.isBuffer(body)) stream.end(body);
    else body?.pipe(stream);
  });
}

function headOf(response: IncomingMessage): ResponseHead {
  return {
    status: response.statusCode ?? 0,
    statusText: response.statusMessage ?? '',
    httpVersion: `HTTP/${response.httpVersion}`,
    headers: headerPairs(response.rawHeaders),
  };
}

function watchSocket(socket: Socket, moments: Moments): void {
  if (!socket.connecting) {
    moments.ready = performance.now();
    return;
  }
  moments.socketAsked = performance.now();
  watchConnecting(socket, moments);
  const isSecure = 'encrypted' in socket;
  socket.once(isSecure ? 'secureConnect' : 'connect', () => (moments.ready = performance.now()));
}

function watchConnecting(socket: Socket, moments: Moments): void {
  socket.once('lookup', () => (moments.lookedUp = performance.now()));
  socket.once('connect', () => (moments.connected = performance.now()));
  socket.once('secureConnect', () => (moments.secured = performance.now()));
}
