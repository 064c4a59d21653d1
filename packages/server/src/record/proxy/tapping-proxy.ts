import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createSecureServer, type Http2SecureServer } from 'node:http2';
import type { AddressInfo, Socket } from 'node:net';
import { finished, type Duplex } from 'node:stream';
import type { TLSSocket } from 'node:tls';
import type { RecorderVisitor } from '@sturdy/core';
import { exchangeFailure, TargetTls } from '@sturdy/engine';
import type { CertificateAuthority } from './certificate-authority.js';
import {
  addressOf,
  answer,
  hasBody,
  headOf,
  hostOf,
  originOf,
  socketKey,
  socketOf,
  tapped,
  whole,
  writeHead,
  type ClientRequest,
  type ClientResponse,
  type Tunnel,
} from './client-request.js';
import { Doorkeeper } from './doorkeeper.js';
import { messageReader } from './socket-messages.js';
import type { ExchangeTap, ProxyTap, ResponseHead } from './tap.js';
import { Visitors } from './visitors.js';
import { Moments, Upstream, type UpstreamResponse, type UpstreamSettings } from './upstream.js';

export interface ProxyOptions {
  authority: CertificateAuthority;
  /** Why nothing may be sent to an origin at this moment, in a sentence; null where it may. */
  refusal: (origin: string) => string | null;
  upstream: UpstreamSettings;
  tap: ProxyTap;
  /** Answers what is asked of the proxy itself: the page with the certificate. */
  ownPage: (path: string, response: ServerResponse) => void;
  /** What a client has to give, as `user:password`; null lets everybody in, which is for loopback only. */
  clientPassword: string | null;
  /** Told of a client that has guessed at the password so often that it is shut out for a while. */
  shutOut: (address: string) => void;
}

/** Name under which a browser that uses the proxy reaches the proxy's own page. */
export const ownHost = 'certificate.sturdy';

const tlsRecord = 0x16;
/** So long is waited for a request before a client that hung up without a word is taken for one that does not trust us. */
const doubtMs = 1500;
const wantsPassword =
  'HTTP/1.1 407 Proxy Authentication Required\r\nProxy-Authenticate: Basic realm="recording"\r\nContent-Length: 0\r\n\r\n';
const wantsTunnel = 'HTTP/1.1 200 Connection established\r\n\r\n';

/**
 * A forward proxy that hears along: HTTP/1.1, HTTP/2, HTTPS with certificates of its own authority, WebSockets. Nothing is
 * changed on the way but the headers of the connection itself, and nothing is held back: bodies stream through.
 */
export class TappingProxy {
  readonly #plain: Server;
  readonly #secure = new Map<string, Promise<Http2SecureServer>>();
  readonly #sockets = new Set<Socket>();
  readonly #tunnels = new Map<string, Tunnel>();
  readonly #tls: TargetTls;
  /** Secure connections that have asked for something, and the hosts they asked. */
  readonly #spoken = new Set<string>();
  readonly #trusted = new Set<string>();
  readonly #upstreams = new Map<string, Upstream>();
  readonly #door: Doorkeeper;
  readonly #visitors = new Visitors();

  constructor(readonly options: ProxyOptions) {
    this.#tls = new TargetTls(options.upstream);
    this.#door = new Doorkeeper(options.clientPassword);
    const insecureHTTPParser = true;
    this.#plain = createServer({ insecureHTTPParser, keepAliveTimeout: 60_000, requestTimeout: 0, highWaterMark: 256 << 10 });
    this.#listen(this.#plain);
    this.#plain.on('connect', (request: IncomingMessage, _socket: Duplex, head: Buffer) => {
      this.#tunnel(request, request.socket, head);
    });
    this.#plain.on('connection', (socket: Socket) => {
      this.#sockets.add(socket);
      socket.on('error', () => socket.destroy());
      socket.once('close', () => {
        this.#sockets.delete(socket);
        const key = socketKey(socket);
        this.#tunnels.delete(key);
        this.#upstreams.get(key)?.close();
        this.#upstreams.delete(key);
      });
    });
    this.#plain.on('clientError', (_error, socket) => {
      if (socket.writable) socket.end('HTTP/1.1 400 Bad Request\r\nContent-Length: 0\r\nConnection: close\r\n\r\n');
    });
  }

  get port(): number {
    return (this.#plain.address() as AddressInfo).port;
  }

  /** Listens on the first free port of a range; a first port of 0 takes any. Rejects where none is free. */
  async listen(host: string, firstPort: number): Promise<void> {
    // Reading the list of public authorities takes some 60 ms; the first request shall not wait for it.
    this.#tls.optionsFor('https://127.0.0.1');
    const ports = firstPort === 0 ? [0] : Array.from({ length: 40 }, (_, index) => firstPort + index);
    for (const port of ports) {
      const taken = await new Promise<NodeJS.ErrnoException | null>((done) => {
        this.#plain.once('error', done);
        this.#plain.listen(port, host, () => {
          this.#plain.off('error', done);
          done(null);
        });
      });
      if (!taken) return;
      if (taken.code !== 'EADDRINUSE') throw taken;
    }
    throw new Error(`No port from ${firstPort} to ${firstPort + 39} is free for the proxy. Stop what listens there, or set --proxy-port.`);
  }

  /** Who uses the proxy, the newest first. */
  get visitors(): RecorderVisitor[] {
    return this.#visitors.list();
  }

  /** Ends at once: connections that are open are closed, exchanges under way are told as cut off. */
  async close(): Promise<void> {
    const closed = new Promise((done) => this.#plain.close(done));
    for (const socket of this.#sockets) socket.destroy();
    for (const upstream of this.#upstreams.values()) upstream.close();
    await closed;
  }

  #upstream(socket: Socket): Upstream {
    const key = socketKey(socket);
    const known = this.#upstreams.get(key);
    if (known) return known;
    const made = new Upstream(this.options.upstream, this.#tls, (host, reason) => {
      this.options.tap.certificateRefused(host, 'proxy', reason);
    });
    this.#upstreams.set(key, made);
    return made;
  }

  /** What comes through a tunnel is counted by itself, so the tunnel is not. */
  #isAllowedIn(request: IncomingMessage, isTunnel = false): boolean {
    const address = request.socket.remoteAddress ?? '';
    const authorization = request.headers['proxy-authorization'];
    const entry = this.#door.asks(address, authorization);
    const isNews = this.#visitors.asked(
      address,
      request.headers['user-agent'],
      entry === 'password' && authorization !== undefined ? 'wrong' : entry === 'in' && isTunnel ? 'tunnel' : entry,
    );
    if (entry === 'shut' && isNews) this.options.shutOut(address);
    return entry === 'in';
  }

  #tunnel(request: IncomingMessage, socket: Socket, head: Buffer): void {
    const authority = request.url ?? '';
    if (!this.#isAllowedIn(request, true)) {
      socket.end(wantsPassword);
      return;
    }
    const origins = [originOf(`https://${authority}`), originOf(`http://${authority}`)];
    const [refusal = null, refusalInPlain = null] = origins.map((origin) => this.options.refusal(origin));
    if (refusal !== null && refusalInPlain !== null && !authority.startsWith(`${ownHost}:`)) {
      this.options.tap.refused(origins[0] ?? authority, refusal);
      const text = `${refusal}\n`;
      socket.end(
        `HTTP/1.1 403 Forbidden\r\nContent-Type: text/plain\r\nContent-Length: ${Buffer.byteLength(text)}\r\nConnection: close\r\n\r\n${text}`,
      );
      return;
    }
    socket.write(wantsTunnel);
    if (head.length > 0) socket.unshift(head);
    socket.once('readable', () => {
      const first = socket.read(1) as Buffer | null;
      if (!first) return;
      socket.unshift(first);
      const secure = first[0] === tlsRecord;
      this.#tunnels.set(socketKey(socket), { authority, secure });
      if (secure) this.#secureTunnel(socket, authority).catch(() => socket.destroy());
      else this.#plain.emit('connection', socket);
    });
  }

  async #secureTunnel(socket: Socket, authority: string): Promise<void> {
    const host = certifiedName(authority);
    const server = await (this.#secure.get(host) ?? this.#makeSecure(host));
    // HTTP keeps a half-closed connection open; with TLS around it nothing could come any more.
    socket.allowHalfOpen = false;
    server.emit('connection', socket);
  }

  /** The server that speaks TLS for one host: many clients name no host in their handshake, so each has its own certificate. */
  #makeSecure(host: string): Promise<Http2SecureServer> {
    const made = this.options.authority.issue(host).then(({ certificate, key }) => {
      const server = createSecureServer({ cert: certificate, key, allowHTTP1: true });
      this.#listen(server);
      server.on('sessionError', () => undefined);
      const refused = () => {
        this.options.tap.certificateRefused(host, 'client', 'it does not trust the recording authority');
      };
      // Browsers also hang up on connections that they opened to be ready; a host of which something was asked is trusted.
      const perhapsRefused = () => {
        setTimeout(() => {
          if (!this.#trusted.has(host)) refused();
        }, doubtMs).unref();
      };
      server.on('tlsClientError', (error: NodeJS.ErrnoException, socket: TLSSocket) => {
        if (isDistrust(error)) refused();
        else if (error.code === 'ECONNRESET') perhapsRefused();
        socket.destroy();
      });
      server.on('secureConnection', (socket: TLSSocket) => {
        const key = socketKey(socket);
        // In TLS 1.3 a client says so only after the handshake is complete on this side, and some just leave without a word.
        socket.on('error', (error: NodeJS.ErrnoException) => {
          if (isDistrust(error)) refused();
        });
        socket.once('close', () => {
          if (!this.#spoken.delete(key)) perhapsRefused();
        });
      });
      return server;
    });
    this.#secure.set(host, made);
    return made;
  }

  #listen(server: Server | Http2SecureServer): void {
    // Whatever one client or target sends, the others go on.
    server.on('request', (request: ClientRequest, response: ClientResponse) => {
      this.#request(request, response).catch(() => response.destroy());
    });
    server.on('upgrade', (request: IncomingMessage, socket: Duplex, head: Buffer) => {
      this.#upgrade(request, socket, head).catch(() => socket.destroy());
    });
  }

  async #request(request: ClientRequest, response: ClientResponse): Promise<void> {
    const socket = socketOf(request);
    const tunnel = this.#tunnels.get(socketKey(socket));
    if (tunnel) this.#visitors.asked(socket.remoteAddress ?? '', request.headers['user-agent'], 'in');
    if (tunnel?.secure) this.#heard(socket, tunnel);
    const url = addressOf(request, tunnel);
    if (url === null || new URL(url).hostname === ownHost) {
      this.options.ownPage(url === null ? (request.url ?? '/') : new URL(url).pathname, response as ServerResponse);
      return;
    }
    if (!tunnel && !this.#isAllowedIn(request as IncomingMessage)) {
      answer(response, 407, 'This recording is open to those who have its password only.', {
        'Proxy-Authenticate': 'Basic realm="recording"',
      });
      return;
    }
    const { origin } = new URL(url);
    const refusal = this.options.refusal(origin);
    if (refusal !== null) {
      this.options.tap.refused(origin, refusal);
      answer(response, 403, refusal);
      return;
    }
    const head = headOf(request, url);
    const tap = this.options.tap.begin(head);
    const moments = new Moments();
    const gone = new AbortController();
    response.on('close', () => {
      if (!response.writableFinished) gone.abort();
    });
    const upstream = this.#upstream(socket);
    let passed: UpstreamResponse;
    try {
      const body = hasBody(request) ? tapped(request, (chunk) => tap?.requestData(chunk)) : null;
      passed = await upstream.send(head, body && upstream.holdsBodies(origin) ? await whole(body) : body, {
        http2: request.httpVersionMajor === 2,
        upgrade: false,
        moments,
        aborted: gone.signal,
      });
    } catch (error) {
      const { pathname } = new URL(url);
      const failure = gone.signal.aborted ? leftBeforeAnswer : exchangeFailure(error, origin, pathname).text;
      tap?.end(moments.timings(performance.now()), failure);
      if (!gone.signal.aborted) answer(response, 502, failure);
      return;
    }
    tap?.response(passed.head);
    try {
      writeHead(request, response, passed.head);
    } catch (error) {
      tap?.end(
        moments.timings(performance.now()),
        `The answer could not be passed on: ${error instanceof Error ? error.message : 'unknown reason'}.`,
      );
      passed.body.destroy();
      answer(response, 502, 'The answer of the target could not be passed on.');
      return;
    }
    passed.body.on('data', (chunk: Buffer) => tap?.responseData(chunk));
    passed.body.pipe(response as ServerResponse);
    finished(passed.body, (error) => {
      const failure = error ? (gone.signal.aborted ? leftBeforeEnd : exchangeFailure(error, origin, new URL(url).pathname).text) : null;
      tap?.end(moments.timings(performance.now()), failure);
      // What was cut on its way here is cut on its way on, or the browser would take it for complete.
      if (error) response.destroy();
    });
  }

  #heard(socket: Socket, tunnel: Tunnel): void {
    this.#spoken.add(socketKey(socket));
    this.#trusted.add(certifiedName(tunnel.authority));
  }

  async #upgrade(request: IncomingMessage, client: Duplex, rest: Buffer): Promise<void> {
    const socket = request.socket;
    const tunnel = this.#tunnels.get(socketKey(socket));
    if (tunnel) this.#visitors.asked(socket.remoteAddress ?? '', request.headers['user-agent'], 'in');
    if (tunnel?.secure) this.#heard(socket, tunnel);
    // A tunnel was let in when it was made; every other way in is asked for the password.
    if (!tunnel && !this.#isAllowedIn(request)) {
      client.end(wantsPassword);
      return;
    }
    const url = addressOf(request, tunnel);
    const origin = url === null ? '' : new URL(url).origin;
    const refusal = this.options.refusal(origin);
    if (url === null || refusal !== null) {
      if (origin !== '') this.options.tap.refused(origin, refusal ?? '');
      client.end('HTTP/1.1 403 Forbidden\r\nContent-Length: 0\r\nConnection: close\r\n\r\n');
      return;
    }
    const head = headOf(request, url);
    const tap = this.options.tap.begin(head);
    const moments = new Moments();
    const gone = new AbortController();
    client.once('close', () => {
      gone.abort();
    });
    client.on('error', () => client.destroy());
    let passed: UpstreamResponse;
    try {
      passed = await this.#upstream(socket).send(head, null, { http2: false, upgrade: true, moments, aborted: gone.signal });
    } catch (error) {
      const failure = exchangeFailure(error, origin, new URL(url).pathname).text;
      tap?.end(moments.timings(performance.now()), failure);
      client.end(`HTTP/1.1 502 Bad Gateway\r\nContent-Length: 0\r\nConnection: close\r\n\r\n`);
      return;
    }
    tap?.response(passed.head);
    const lines = passed.head.headers.map(([name, value]) => `${name}: ${value}\r\n`).join('');
    client.write(`HTTP/1.1 ${passed.head.status} ${passed.head.statusText}\r\n${lines}\r\n`, 'latin1');
    if (passed.socket) this.#joinSockets(client, rest, passed.socket, passed.head, tap, moments);
    else {
      passed.body.on('data', (chunk: Buffer) => tap?.responseData(chunk));
      passed.body.pipe(client);
      passed.body.on('end', () => tap?.end(moments.timings(performance.now()), null));
    }
  }

  #joinSockets(
    client: Duplex,
    rest: Buffer,
    target: { socket: Duplex; head: Buffer },
    head: ResponseHead,
    tap: ExchangeTap | null,
    moments: Moments,
  ): void {
    let unread: string | null = null;
    const reader = (from: 'client' | 'server') =>
      messageReader(
        from,
        head.headers,
        (message) => tap?.message(message),
        (reason) => (unread = `From some point on its messages could not be read: ${reason}.`),
      );
    const readClient = reader('client');
    const readServer = reader('server');
    const pass = (chunk: Buffer, read: (chunk: Buffer) => void, to: Duplex) => {
      if (chunk.length === 0) return;
      read(chunk);
      to.write(chunk);
    };
    pass(target.head, readServer, client);
    pass(rest, readClient, target.socket);
    client.on('data', readClient);
    target.socket.on('data', readServer);
    client.pipe(target.socket);
    target.socket.pipe(client);
    target.socket.on('error', () => target.socket.destroy());
    target.socket.once('close', () => client.destroy());
    let over = false;
    client.once('close', () => {
      target.socket.destroy();
      if (!over) tap?.end(moments.timings(performance.now()), unread);
      over = true;
    });
  }
}

/** What a certificate for an authority is made out to. */
const certifiedName = (authority: string): string => hostOf(authority).replace(/^\[|\]$/g, '');

/** True for the alert of a client that does not accept a certificate (RFC 8446, 6.2). */
const isDistrust = ({ code = '' }: NodeJS.ErrnoException): boolean => /ALERT_(UNKNOWN_CA|CERTIFICATE|BAD_CERTIFICATE)/.test(code);

const leftBeforeAnswer = 'The browser gave up before an answer came.';
const leftBeforeEnd = 'The browser closed the connection before the response was complete.';
