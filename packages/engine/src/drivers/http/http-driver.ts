import { randomBytes } from 'node:crypto';
import type { LookupFunction } from 'node:net';
import {
  bodyBytes,
  failureReason,
  headerOf,
  noTimings,
  resolveReference,
  SignIn,
  type Environment,
  type FailureReason,
  type Header,
} from '@sturdy/core';
import { Client, ProxyAgent, type Dispatcher } from 'undici';
import type { Outcome } from '../../contract/driver.js';
import { usualLimits } from '../../contract/rules.js';
import { refusedAddress } from '../../net/connection-failure.js';
import { lookupFor } from '../../net/guarded-lookup.js';
import type { HttpDriverOptions } from './http-driver-options.js';
import { outcomeOf, type HttpUserDriver, type WireRequest, type WireResponse } from './wire.js';
import { MessageDriver } from './message-driver.js';
import { RequestUnderWay, type SendingGround } from './request-under-way.js';
import { timedConnector, type ConnectTimes } from './timed-connector.js';
import { TlsSessions } from './tls-sessions.js';
import { UserCookies } from './user-cookies.js';
import { UserSockets } from './user-sockets.js';

const usualBodyLimitBytes = 16 << 20;
const mostRedirects = 10;
const mostSignInRounds = 3;
/** Exchanges of one action: with each redirect the target may ask for a sign-in. */
const mostExchanges = (mostRedirects + 1) * (mostSignInRounds + 1);
/** The driver has time-outs of its own. */
const noLimits = { headersTimeout: 0, bodyTimeout: 0 };
/** Requests at a time over one connection of HTTP/2, as most servers allow. */
const mostStreams = 100;
/** As many connections to one origin as browsers open. */
const mostConnections = 6;

/** One connection to an origin: its sign-in is its own, because some methods hold for a connection. */
interface Connection {
  client: Dispatcher;
  connect: ConnectTimes | null;
  signIn: SignIn | null;
  waiting: number;
  /** True once a request was sent over it. */
  used: boolean;
  /** Whether requests share it at the same time, as HTTP/2 lets them; null until the target has said what it speaks. */
  shared: boolean | null;
}

const newSignIn = ({ credentials }: Pick<Environment, 'credentials'>): SignIn =>
  new SignIn(credentials, (count) => randomBytes(count), Date.now);

/** A client of one connection to an origin, that tells of its phases. */
function directClient(
  origin: string,
  http2: boolean,
  limitMs: number,
  tls: Parameters<typeof timedConnector>[1],
  sessions: TlsSessions,
  lookup: LookupFunction,
  onTimes: (times: ConnectTimes) => void,
): Client {
  const connected = (times: ConnectTimes) => {
    onTimes(times);
    // HTTP/1.1 after all: requests are not to be sent into the answers of others.
    if (http2 && times.tls >= 0 && !times.http2) client.pipelining = 1;
  };
  const client = new Client(origin, {
    ...(http2 ? { allowH2: true, pipelining: mostStreams } : { pipelining: 1 }),
    connect: timedConnector(limitMs, tls, connected, { origin, sessions, asksHttp2: http2, lookup }),
    ...noLimits,
  });
  return client;
}

/** Headers of which some are said by others of the same name. */
function instead(headers: readonly Header[], others: readonly Header[]): readonly Header[] {
  if (others.length === 0) return headers;
  const names = new Set(others.map(([name]) => name.toLowerCase()));
  return [...headers.filter(([name]) => !names.has(name.toLowerCase())), ...others];
}

/** Headers with the user's cookies; a cookie that the script makes itself, as page scripts do, wins over a kept one of its name. */
function withCookies(headers: readonly Header[], kept: string): Header[] {
  const isCookie = ([name]: Header) => name.toLowerCase() === 'cookie';
  const scriptCookies = headers.filter(isCookie).map(([, value]) => value);
  if (scriptCookies.length === 0) return kept === '' ? [...headers] : [...headers, ['Cookie', kept]];
  const names = new Set(scriptCookies.flatMap((line) => line.split('; ').map((pair) => pair.split('=')[0])));
  const rest = kept.split('; ').filter((pair) => pair !== '' && !names.has(pair.split('=')[0]));
  return [...headers.filter((header) => !isCookie(header)), ['Cookie', [...rest, ...scriptCookies].join('; ')]];
}

/** HTTP/1.1 and HTTP/2 over undici, and WebSockets: own connections, own cookies (RFC 6265), timings of every phase. */
export class HttpDriver implements HttpUserDriver {
  readonly #cookies = new UserCookies();
  readonly mostExchanges = mostExchanges;
  readonly #sockets = new UserSockets();
  readonly messages: MessageDriver;
  readonly #connections = new Map<string, Connection[]>();
  readonly #sessions = new TlsSessions();
  /** Addresses of a target are judged once for the user, whose rules do not change. */
  readonly #lookups = new Map<string, LookupFunction>();
  readonly #ground: SendingGround;

  constructor(readonly options: HttpDriverOptions) {
    this.messages = new MessageDriver(this.#sockets, options.answerLimitMs ?? usualLimits.answerMs);
    this.#ground = {
      line: options.line,
      bodyLimitBytes: options.bodyLimitBytes ?? usualBodyLimitBytes,
      answerLimitMs: options.answerLimitMs ?? usualLimits.answerMs,
      firstByteLimitMs: options.firstByteLimitMs,
      keepCookies: (headers, request) => {
        this.#cookies.keep(headers, request.origin, request.target);
      },
    };
  }

  perform(request: WireRequest): Promise<Outcome<WireResponse>> {
    if (request.opensSocket !== undefined) return this.send(request).then(outcomeOf);
    // Thousands of answers a second come by here, and few of them lead on: the others wait for no promise more than they must.
    return this.#signedIn(request).then((response) =>
      request.followRedirects && leadsOn(response) ? this.#followed(request, response).then(outcomeOf) : outcomeOf(response),
    );
  }

  async send(request: WireRequest): Promise<WireResponse> {
    if (request.opensSocket !== undefined) return this.#openSocket(request, request.opensSocket);
    const response = await this.#signedIn(request);
    return request.followRedirects ? this.#followed(request, response) : response;
  }

  async #followed(request: WireRequest, first: WireResponse): Promise<WireResponse> {
    let current = request;
    let response = first;
    for (let hop = 0; hop < mostRedirects && leadsOn(response); hop++) {
      const location = headerOf(response.headers, 'location');
      if (location === undefined) break;
      // Resolved against the target of the request (RFC 9110, 10.2.2).
      const next = resolveReference(location, current.origin + current.target);
      if (!next) break;
      const keepsMethod = response.status === 307 || response.status === 308 || current.method === 'GET' || current.method === 'HEAD';
      current = {
        ...current,
        origin: next.origin,
        target: next.pathname + next.search,
        ...(keepsMethod ? {} : { method: 'GET', body: null }),
        headers: current.headers.filter(
          ([name]) =>
            (keepsMethod || !/^content-/i.test(name)) &&
            // What signs in at one origin is no business of another (Fetch standard, HTTP-redirect fetch, step 13).
            (next.origin === current.origin || !/^(authorization|cookie)$/i.test(name)),
        ),
      };
      const hopped = await this.#signedIn(current);
      const { status, statusText, headers, body } = response;
      response = { ...added(response, hopped), hops: [...response.hops, { status, statusText, headers, body }] };
    }
    return response;
  }

  cookie(origin: string, name: string): string | undefined {
    return this.#cookies.get(origin, name);
  }

  setCookie(origin: string, name: string, value: string): void {
    this.#cookies.set(origin, name, value);
  }

  deleteCookie(origin: string, name: string): void {
    this.#cookies.delete(origin, name);
  }

  async reset(): Promise<void> {
    this.#cookies.clear();
    this.#sessions.clear();
    await this.close();
  }

  async close(): Promise<void> {
    this.#sockets.close();
    const connections = [...this.#connections.values()].flat();
    this.#connections.clear();
    await Promise.all(connections.map(({ client }) => client.destroy()));
  }

  async #openSocket(request: WireRequest, name: string): Promise<WireResponse> {
    const { options } = this;
    const limitMs = this.#ground.answerLimitMs;
    const refusal = options.refuses(request.origin);
    if (refusal) return this.#failed(refusal, [], 0);
    const { connection } = options;
    const asked = { origin: request.origin, method: request.method, target: request.target, body: bodyBytes(null) };
    const signIn = connection ? newSignIn(connection) : null;
    const shown = signIn?.covers(request.origin) ? signIn.prepare(asked, request.headers) : request.headers;
    const headers = withCookies(instead(shown, options.headers ?? []), this.#cookies.headerFor(request.origin + request.target));
    let response: WireResponse;
    try {
      const lookup = this.#lookupFor(request.origin);
      await this.#turn(request.origin);
      response = await this.#sockets.open(name, {
        request,
        headers,
        lookup,
        tls: connection && request.origin.startsWith('https:') ? connection.tls.optionsFor(request.origin) : {},
        sessions: this.#sessions,
        proxy: connection?.upstreamProxy ?? '',
        limitMs: Math.min(limitMs, options.connectLimitMs ?? limitMs),
        line: options.line,
      });
    } catch (error) {
      return this.#failed(notSent(error), headers, 0);
    }
    this.#cookies.keep(response.headers, request.origin, request.target);
    return response;
  }

  /** Looks up where connections to an origin may lead. Throws where its host is an address to which they may not. */
  #lookupFor(origin: string): LookupFunction {
    const known = this.#lookups.get(origin);
    if (known) return known;
    const lookup = lookupFor(origin, this.options.addressesOf?.(origin) ?? [], this.options.lookup);
    this.#lookups.set(origin, lookup);
    return lookup;
  }

  /** Waits for the turn of an exchange under the ceiling of its target. */
  #turn(origin: string): Promise<void> | undefined {
    const waitMs = this.options.turnInMs?.(origin) ?? 0;
    return waitMs > 0 ? new Promise((go) => setTimeout(go, waitMs)) : undefined;
  }

  /** The idlest connection to an origin; requests that run side by side get connections of their own. */
  #connection(origin: string, http2: boolean): Connection {
    const key = http2 ? `${origin} HTTP/2` : origin;
    const known = this.#connections.get(key);
    const [first] = known ?? [];
    // Requests wait for the first connection rather than open more that HTTP/2 would not need.
    if (first && http2 && first.shared !== false) return first;
    const idle = known?.find((connection) => connection.waiting === 0);
    if (idle) return idle;
    if (known && known.length >= (this.options.connections ?? mostConnections))
      return known.reduce((best, connection) => (connection.waiting < best.waiting ? connection : best));
    const made = this.#connect(origin, http2);
    if (known) known.push(made);
    else this.#connections.set(key, [made]);
    return made;
  }

  #connect(origin: string, http2: boolean): Connection {
    const { connection } = this.options;
    const limitMs = this.options.connectLimitMs ?? usualLimits.connectMs;
    const tls = connection && origin.startsWith('https:') ? connection.tls.optionsFor(origin) : {};
    const signIn = connection ? newSignIn(connection) : null;
    const made: Connection = {
      connect: null,
      signIn: signIn?.covers(origin) ? signIn : null,
      waiting: 0,
      used: false,
      shared: http2 ? null : false,
      client:
        connection && connection.upstreamProxy !== ''
          ? new ProxyAgent({ uri: connection.upstreamProxy, requestTls: { ...tls, timeout: limitMs }, ...noLimits })
          : directClient(origin, http2, limitMs, tls, this.#sessions, this.#lookupFor(origin), (times) => {
              made.connect = times;
              if (http2 && times.tls >= 0) made.shared = times.http2;
            }),
    };
    return made;
  }

  /** Sends a request, and signs the connection in where the target asks for it. */
  #signedIn(request: WireRequest): Promise<WireResponse> {
    const refusal = this.options.refuses(request.origin);
    if (refusal) return Promise.resolve(this.#failed(refusal, [], 0));
    let connection: Connection;
    try {
      connection = this.#connection(request.origin, request.http2 === true && request.origin.startsWith('https:'));
    } catch (error) {
      return Promise.resolve(this.#failed(notSent(error), [], 0));
    }
    return connection.signIn ? this.#atTheDoor(connection, connection.signIn, request) : this.#once(connection, request);
  }

  async #atTheDoor(connection: Connection, signIn: SignIn, request: WireRequest): Promise<WireResponse> {
    // Between the messages of a sign-in the connection is no one else's.
    connection.waiting++;
    try {
      const asked = { origin: request.origin, method: request.method, target: request.target, body: bodyBytes(request.body) };
      let response = await this.#once(connection, { ...request, headers: signIn.prepare(asked, request.headers) });
      for (let round = 0; round < mostSignInRounds && response.status === 401; round++) {
        const answer = signIn.answer(asked, response.headers);
        if (answer === null) return response;
        const headers: Header[] = [
          ...request.headers.filter(([name]) => name.toLowerCase() !== 'authorization'),
          ['Authorization', answer],
        ];
        response = added(response, await this.#once(connection, { ...request, headers }));
      }
      if (response.status !== 401) signIn.accepted(request.origin);
      return response;
    } finally {
      connection.waiting--;
    }
  }

  #once(ownConnection: Connection, request: WireRequest): Promise<WireResponse> {
    const turn = this.#turn(request.origin);
    return turn ? turn.then(() => this.#send(ownConnection, request)) : this.#send(ownConnection, request);
  }

  #send(ownConnection: Connection, request: WireRequest): Promise<WireResponse> {
    const cookies = this.#cookies.headerFor(request.origin + request.target);
    const sentHeaders = withCookies(instead(request.headers, this.options.headers ?? []), cookies);
    const flat: string[] = [];
    let bytesOut = request.target.length + 16 + (request.body === null ? 0 : Buffer.byteLength(request.body));
    for (const [name, value] of sentHeaders) {
      flat.push(name, value);
      bytesOut += name.length + value.length + 4;
    }
    ownConnection.connect = null;
    ownConnection.waiting++;
    return new Promise((resolve) => {
      const done = (response: WireResponse) => {
        ownConnection.waiting--;
        resolve(response);
      };
      const sending = new RequestUnderWay(request, sentHeaders, bytesOut, this.#ground, () => ownConnection.connect, done);
      const dispatch = () => {
        try {
          ownConnection.client.dispatch(
            { origin: request.origin, path: request.target, method: request.method, headers: flat, body: request.body },
            sending,
          );
        } catch (error) {
          sending.fail(error instanceof Error ? error : new Error(String(error)));
        }
      };
      const connection = ownConnection.used ? 'kept' : request.origin.startsWith('https:') ? 'new with TLS' : 'new';
      ownConnection.used = true;
      const underWayMs = this.options.line?.sending(bytesOut, connection, performance.now()) ?? 0;
      if (underWayMs > 0) setTimeout(dispatch, underWayMs);
      else dispatch();
    });
  }

  #failed(failure: FailureReason, sentHeaders: Header[], durationMs: number): WireResponse {
    return {
      status: 0,
      statusText: '',
      headers: [],
      body: null,
      failure,
      hops: [],
      sentHeaders,
      timings: noTimings,
      durationMs,
      bytesIn: 0,
      bytesOut: 0,
    };
  }
}

/** True for a redirect. */
const leadsOn = ({ status }: WireResponse): boolean => status >= 300 && status < 400;

const notSent = (error: unknown): FailureReason =>
  refusedAddress(error) ?? failureReason('not-sent', error instanceof Error ? error.message : String(error));

/** The later response, with the time and the bytes of both. */
const added = (first: WireResponse, later: WireResponse): WireResponse => ({
  ...later,
  durationMs: first.durationMs + later.durationMs,
  bytesIn: first.bytesIn + later.bytesIn,
  bytesOut: first.bytesOut + later.bytesOut,
});
