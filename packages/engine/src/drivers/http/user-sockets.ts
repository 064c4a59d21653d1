import type { IncomingMessage } from 'node:http';
import type { LookupFunction } from 'node:net';
import type { ConnectionOptions } from 'node:tls';
import {
  checkFailure,
  cutText,
  failureReason,
  messageType,
  MessageView,
  noTimings,
  recordedText,
  repeats,
  type Header,
  type Timings,
} from '@sturdy/core';
import { HttpsProxyAgent } from 'https-proxy-agent';
import { WebSocket, type ClientOptions, type RawData } from 'ws';
import type { Outcome } from '../../contract/driver.js';
import { exchangeFailure } from './exchange-failure.js';
import type { UserLine } from './line.js';
import { openSockets } from '../../net/open-sockets.js';
import type { TlsSessions } from './tls-sessions.js';
import type { AwaitedMessage, MessageObservation, WireMessage } from './wire-message.js';
import type { WireRequest, WireResponse } from './wire.js';

/** How a WebSocket is opened. */
export interface OpenWish {
  request: WireRequest;
  /** Headers as they are to be sent, the cookies among them. */
  headers: readonly Header[];
  /** TLS options of the target. */
  tls: ConnectionOptions;
  sessions: TlsSessions;
  /** Address of a proxy that stands before the target; empty where there is none. */
  proxy: string;
  /** Looks the target up. */
  lookup: LookupFunction;
  /** ms until it must be open. */
  limitMs: number;
  line: UserLine | undefined;
}

/** Messages that nobody has waited for are kept up to these limits; a server may tell more than a script listens to. */
const mostKept = 500;
const mostKeptBytes = 4 << 20;
const largestMessageBytes = 16 << 20;
const refusedBodyBytes = 1 << 20;
const closeWithinMs = 2000;

/** A message that came, as checks read it. */
interface Arrived {
  view: MessageView;
  format: 'text' | 'binary';
  bytes: Buffer;
  /** Bytes with the frame around them. */
  wireBytes: number;
  atMs: number;
}

interface Waiting {
  accepts: (message: MessageView) => boolean;
  done: (arrived: Arrived | null) => void;
}

interface Opened {
  socket: WebSocket;
  where: string;
  line: UserLine | undefined;
  kept: Arrived[];
  keptBytes: number;
  waiting: Waiting[];
  /** Why it is over; null while it is open. */
  over: string | null;
}

/** A frame has two to ten bytes before its payload, and four more from the client (RFC 6455, 5.2). */
const framed = (bytes: number, masked: boolean): number => bytes + (bytes < 126 ? 2 : bytes < 65_536 ? 4 : 10) + (masked ? 4 : 0);

const bufferOf = (data: RawData): Buffer => (Buffer.isBuffer(data) ? data : Array.isArray(data) ? Buffer.concat(data) : Buffer.from(data));

/** The WebSockets of one virtual user (RFC 6455), by the names that its script gives them. */
export class UserSockets {
  readonly #open = new Map<string, Opened>();
  /** Those whose handshake is not answered yet. */
  readonly #opening = new Set<WebSocket>();

  /**
   * Opens a WebSocket; one of the same name that is still open is closed. The answer is that of the handshake, whatever it is. Rejects where it
   * cannot be tried, as with a protocol that has no valid name.
   */
  open(name: string, wish: OpenWish): Promise<WireResponse> {
    this.#end(name);
    const { request, line } = wish;
    const where = request.origin + request.target;
    const isProtocol = ([headerName]: Header) => headerName.toLowerCase() === 'sec-websocket-protocol';
    const protocols = wish.headers.filter(isProtocol).flatMap(([, value]) => value.split(/\s*,\s*/));
    const headers = wish.headers.filter((header) => !isProtocol(header));
    const started = performance.now();
    const marks = { lookedUp: 0, connected: 0, secured: 0, answered: 0 };
    const bytesOut = wish.headers.reduce(
      (sum, [headerName, value]) => sum + headerName.length + value.length + 4,
      request.target.length + 120,
    );
    const response = (ended: number, rest: Partial<WireResponse>): WireResponse => ({
      status: 0,
      statusText: '',
      headers: [],
      body: null,
      failure: null,
      hops: [],
      sentHeaders: [...wish.headers],
      timings: phases(started, ended, marks),
      durationMs: ended - started,
      bytesIn: 0,
      bytesOut,
      ...rest,
    });
    return new Promise((resolve) => {
      const done = (answered: WireResponse) => {
        this.#opening.delete(socket);
        resolve(answered);
      };
      const session = wish.sessions.of(request.origin);
      const socket = new WebSocket(where.replace(/^http/, 'ws'), protocols, {
        // The types of the package know fewer options than TLS takes.
        ...({ ...wish.tls, ...(session && { session }) } as unknown as ClientOptions),
        // A proxy is on this machine; it looks the target up itself.
        ...(wish.proxy === '' ? { lookup: wish.lookup } : {}),
        headers: Object.fromEntries(headers),
        handshakeTimeout: wish.limitMs,
        perMessageDeflate: false,
        maxPayload: largestMessageBytes,
        followRedirects: false,
        ...(wish.proxy === '' ? {} : { agent: new HttpsProxyAgent(wish.proxy) }),
        finishRequest: (sent) => {
          sent.once('socket', (connection) => {
            openSockets.follow(connection);
            wish.sessions.follow(request.origin, connection);
            connection.once('lookup', () => (marks.lookedUp = performance.now()));
            connection.once('connect', () => (marks.connected = performance.now()));
            connection.once('secureConnect', () => (marks.secured = performance.now()));
          });
          sent.end();
        },
      });
      this.#opening.add(socket);
      const opened: Opened = { socket, where, line, kept: [], keptBytes: 0, waiting: [], over: null };
      let answer: IncomingMessage | null = null;
      socket.on('upgrade', (came) => {
        answer = came;
        marks.answered = performance.now();
      });
      socket.on('unexpected-response', (_sent, came) => {
        marks.answered = performance.now();
        const chunks: Buffer[] = [];
        let size = 0;
        came.on('data', (chunk: Buffer) => {
          size += chunk.length;
          if (size <= refusedBodyBytes) chunks.push(chunk);
        });
        const end = () => {
          const bytes = Buffer.concat(chunks);
          done(response(performance.now(), { ...headOf(came), body: bytes, bytesIn: size }));
          socket.terminate();
        };
        came.once('end', end);
        came.once('error', end);
      });
      socket.on('message', (data, isBinary) => {
        this.#arrived(opened, bufferOf(data), isBinary);
      });
      socket.on('error', (error) => {
        opened.over ??= error.message;
        done(response(performance.now(), { failure: exchangeFailure(error, request.origin, request.target) }));
      });
      socket.on('close', (code, reason) => {
        opened.over = `${where} closed the WebSocket (${code}${reason.length > 0 ? ` ${cutText(reason.toString(), 120)}` : ''})`;
        for (const waiting of opened.waiting.splice(0)) waiting.done(null);
      });
      socket.on('open', () => {
        this.#open.set(name, opened);
        const head = answer ? headOf(answer) : { status: 101, statusText: '', headers: [] };
        done(
          response(performance.now(), {
            ...head,
            bytesIn: head.headers.reduce((sum, [headerName, value]) => sum + headerName.length + value.length + 4, 0),
          }),
        );
      });
    });
  }

  /** Sends a message, waits for one, or closes. */
  async use(message: WireMessage, limitMs: number): Promise<Outcome<MessageObservation>> {
    const started = performance.now();
    const outcome = (more: Partial<Outcome<MessageObservation>>): Outcome<MessageObservation> => ({
      failure: null,
      durationMs: 0,
      phases: { ...noTimings, send: 0, wait: more.durationMs ?? 0, receive: 0 },
      bytesIn: 0,
      bytesOut: 0,
      observation: { answer: null },
      ...more,
    });
    const { socket: name, action, format, body, awaits } = message;
    const opened = this.#open.get(name);
    if (!opened || (opened.over !== null && action === 'send')) {
      const why = opened?.over ?? 'The step that opens it failed, or does not stand before this one';
      return outcome({ failure: failureReason('socket-not-open', `The WebSocket “${name}” is not open. ${why}.`), phases: noTimings });
    }
    if (action === 'close') {
      await closed(opened.socket, Math.min(closeWithinMs, limitMs));
      this.#open.delete(name);
      return outcome({ durationMs: performance.now() - started });
    }
    const sent = body ?? '';
    const bytesOut = action === 'send' ? framed(Buffer.byteLength(sent), true) : 0;
    // Whoever waits is there before anything is sent, and what is kept came before it.
    const problems: string[] = [];
    const accepts = (view: MessageView): boolean => {
      try {
        return awaits === null || isAwaited(awaits, view);
      } catch (error) {
        // What cannot be asked of one message cannot be asked of any.
        problems.push(error instanceof Error ? error.message : String(error));
        return true;
      }
    };
    const waits = awaits && this.#wait(opened, action, accepts, Math.min(awaits.atMostMs, limitMs));
    if (action === 'send') {
      const underWayMs = opened.line?.sending(bytesOut, 'kept', started) ?? 0;
      if (underWayMs > 0) await new Promise((go) => setTimeout(go, underWayMs));
      opened.socket.send(sent, { binary: format === 'binary' });
    }
    if (!waits) return outcome({ bytesOut });
    const { arrived, others } = await waits;
    const durationMs = Math.max(0, (arrived?.atMs ?? performance.now()) - started);
    const [problem] = problems;
    if (problem !== undefined)
      return outcome({
        failure: failureReason('message-condition-invalid', `It cannot be said which message is awaited: ${problem}`),
        durationMs,
        bytesOut,
      });
    if (!arrived)
      return outcome({ failure: failureReason('message-missing', awaitFailure(name, opened, others, durationMs)), durationMs, bytesOut });
    return outcome({
      durationMs,
      bytesIn: arrived.wireBytes,
      bytesOut,
      observation: { answer: { format: arrived.format, bytes: arrived.bytes } },
    });
  }

  /** Closes all of them, as a browser does that leaves a page. */
  close(): void {
    // One that is still being opened fails at once, or it would be open later with nobody to close it.
    for (const socket of this.#opening) socket.terminate();
    for (const name of [...this.#open.keys()]) this.#end(name);
  }

  #end(name: string): void {
    const opened = this.#open.get(name);
    if (!opened) return;
    this.#open.delete(name);
    // Its answer is not waited for, and a server that gives none holds nothing up.
    void closed(opened.socket, closeWithinMs);
  }

  #arrived(opened: Opened, bytes: Buffer, isBinary: boolean): void {
    const text = isBinary ? '' : bytes.toString('utf8');
    const wireBytes = framed(bytes.length, false);
    const deliver = () => {
      const format = isBinary ? 'binary' : 'text';
      const arrived: Arrived = {
        view: new MessageView(messageType(format, text), text),
        format,
        bytes,
        wireBytes,
        atMs: performance.now(),
      };
      const taker = opened.waiting.find((waiting) => waiting.accepts(arrived.view));
      if (taker) {
        opened.waiting.splice(opened.waiting.indexOf(taker), 1);
        taker.done(arrived);
        return;
      }
      opened.kept.push(arrived);
      opened.keptBytes += bytes.length;
      while (opened.kept.length > mostKept || (opened.keptBytes > mostKeptBytes && opened.kept.length > 1))
        opened.keptBytes -= opened.kept.shift()?.bytes.length ?? 0;
    };
    const heldMs = opened.line ? opened.line.receiving(wireBytes, performance.now()) + opened.line.line.latencyMs / 2 : 0;
    if (heldMs >= 1) setTimeout(deliver, heldMs);
    else deliver();
  }

  /** Waits for a message: of those that came already only where nothing is sent, because they answer nothing. */
  #wait(
    opened: Opened,
    action: WireMessage['action'],
    accepts: (message: MessageView) => boolean,
    atMostMs: number,
  ): Promise<{ arrived: Arrived | null; others: Arrived[] }> {
    const others: Arrived[] = [];
    if (action === 'await') {
      const at = opened.kept.findIndex((arrived) => accepts(arrived.view));
      const [found] = at < 0 ? [] : opened.kept.splice(at, 1);
      if (found) {
        opened.keptBytes -= found.bytes.length;
        return Promise.resolve({ arrived: { ...found, atMs: performance.now() }, others });
      }
      if (opened.over !== null) return Promise.resolve({ arrived: null, others: opened.kept });
    }
    const firstNew = opened.kept.length;
    return new Promise((resolve) => {
      const timer = setTimeout(() => {
        opened.waiting.splice(opened.waiting.indexOf(waiting), 1);
        waiting.done(null);
      }, atMostMs);
      const waiting: Waiting = {
        accepts,
        done: (arrived) => {
          clearTimeout(timer);
          resolve({ arrived, others: opened.kept.slice(Math.min(firstNew, opened.kept.length)) });
        },
      };
      opened.waiting.push(waiting);
    });
  }
}

/** True for a message that repeats what was sent and for which all holds that is asked. Throws where that cannot be asked. */
function isAwaited({ same, holds, sent }: AwaitedMessage, message: MessageView): boolean {
  const answer = { view: message, location: undefined, bytes: message.body.length, durationMs: 0 };
  return repeats({ same }, sent, message) && holds.every((checked) => checkFailure({ checked }, answer, recordedText) === null);
}

function awaitFailure(name: string, { where, over }: Opened, others: readonly Arrived[], waitedMs: number): string {
  const last = others.at(-1);
  const came = last
    ? `${others.length === 1 ? 'Another one came' : `${others.length} others came, the last one`}: “${cutText(last.view.body, 120)}”.`
    : 'No message came at all.';
  return over === null
    ? `The awaited message did not come over the WebSocket “${name}” of ${where.split('?')[0] ?? where} within ${Math.round(waitedMs)} ms. ${came}`
    : `${over} before the awaited message came. ${came}`;
}

/** Closes a WebSocket and resolves once it is closed, at the latest after a short while. */
function closed(socket: WebSocket, withinMs: number): Promise<void> {
  return new Promise((done) => {
    if (socket.readyState === WebSocket.CLOSED) {
      done();
      return;
    }
    const timer = setTimeout(() => {
      socket.terminate();
    }, withinMs);
    timer.unref();
    socket.once('close', () => {
      clearTimeout(timer);
      done();
    });
    socket.close(1000);
  });
}

function headOf(came: IncomingMessage): Pick<WireResponse, 'status' | 'statusText' | 'headers'> {
  const headers: Header[] = [];
  for (let at = 0; at + 1 < came.rawHeaders.length; at += 2) headers.push([came.rawHeaders[at] ?? '', came.rawHeaders[at + 1] ?? '']);
  return { status: came.statusCode ?? 0, statusText: came.statusMessage ?? '', headers };
}

/** The phases of a handshake, from the moments at which they ended. */
function phases(
  started: number,
  ended: number,
  marks: { lookedUp: number; connected: number; secured: number; answered: number },
): Timings {
  const { lookedUp, connected, secured, answered } = marks;
  const sentAt = secured || connected || started;
  return {
    blocked: 0,
    dns: lookedUp > 0 ? lookedUp - started : -1,
    connect: connected > 0 ? connected - (lookedUp || started) : -1,
    tls: secured > 0 ? secured - connected : -1,
    send: 0,
    wait: (answered || ended) - sentAt,
    receive: answered > 0 ? ended - answered : 0,
  };
}
