import { failureReason, headerOf, type FailureReason, type Header, type Timings } from '@sturdy/core';
import type { Dispatcher } from 'undici';
import { keepsBody, type WireRequest, type WireResponse } from './wire.js';
import { decodeBody, type DecodedBody } from './decode-body.js';
import { exchangeFailure, TimedOut } from './exchange-failure.js';
import type { UserLine } from './line.js';
import type { ConnectTimes } from './timed-connector.js';

/** What a request needs from the driver that sends it. */
export interface SendingGround {
  line: UserLine | undefined;
  /** Bodies above this many bytes are cut. */
  bodyLimitBytes: number;
  /** ms from the start of a request to its last byte. */
  answerLimitMs: number;
  /** ms from the start of a request to the first byte of its answer; undefined where the last byte alone counts. */
  firstByteLimitMs: number | undefined;
  /** Takes in the cookies that an answer sets. */
  keepCookies: (headers: readonly Header[], request: WireRequest) => void;
}

/**
 * One request from its dispatch to the last byte of its answer. It hears the events of the HTTP library in the form that the library uses
 * within: the other one has it put every header into an object of its own, which nobody here reads.
 */
export class RequestUnderWay implements Dispatcher.DispatchHandler {
  readonly #started = performance.now();
  #sentAt = this.#started;
  #firstByteAt = 0;
  #status = 0;
  #statusText = '';
  #headers: Header[] = [];
  #bytesIn = 0;
  #wanted = false;
  #chunks: Buffer[] | null = null;
  #kept = 0;
  #over = false;
  #abort: ((reason?: Error) => void) | null = null;
  #resume: (() => void) | null = null;
  /** A request that still waits for a connection is given up as soon as it would be sent. */
  #givenUp: Error | null = null;
  readonly #timer: NodeJS.Timeout;
  readonly #firstByteTimer: NodeJS.Timeout | undefined;

  constructor(
    readonly request: WireRequest,
    readonly sentHeaders: Header[],
    readonly bytesOut: number,
    readonly ground: SendingGround,
    /** The phases of the connection, where it was made for this request. */
    readonly connected: () => ConnectTimes | null,
    readonly done: (response: WireResponse) => void,
  ) {
    this.#timer = setTimeout(() => {
      this.#giveUp(new TimedOut('answer-timed-out', ground.answerLimitMs));
    }, ground.answerLimitMs);
    const { firstByteLimitMs } = ground;
    this.#firstByteTimer =
      firstByteLimitMs === undefined
        ? undefined
        : setTimeout(() => {
            this.#giveUp(new TimedOut('first-byte-timed-out', firstByteLimitMs));
          }, firstByteLimitMs);
  }

  onConnect(abort: (reason?: Error) => void): void {
    this.#sentAt = performance.now();
    this.#abort = abort;
    if (this.#givenUp) abort(this.#givenUp);
  }

  onHeaders(status: number, rawHeaders: Buffer[], resume: () => void, statusText: string): boolean {
    // An answer that only announces another one (RFC 9110, 15.2).
    if (status < 200) return true;
    this.#firstByteAt = performance.now();
    clearTimeout(this.#firstByteTimer);
    this.#resume = resume;
    this.#status = status;
    this.#statusText = statusText;
    this.#headers = pairs(rawHeaders);
    this.#wanted = keepsBody(this.request.keepsBody, status, this.#headers);
    return true;
  }

  onData(chunk: Buffer): boolean {
    this.#bytesIn += chunk.length;
    if (this.#wanted && this.#kept < this.ground.bodyLimitBytes) {
      (this.#chunks ??= []).push(chunk);
      this.#kept += chunk.length;
    }
    const heldMs = this.ground.line?.receiving(chunk.length, performance.now()) ?? 0;
    if (heldMs < 1) return true;
    // The server feels it: what is not read fills its buffers.
    setTimeout(() => this.#resume?.(), heldMs);
    return false;
  }

  onComplete(): void {
    const ended = this.#end();
    this.ground.keepCookies(this.#headers, this.request);
    if (!this.#wanted) {
      this.#answered(ended, null, null);
      return;
    }
    const chunks = this.#chunks ?? [];
    const [only] = chunks;
    const whole = chunks.length === 1 && only ? only : Buffer.concat(chunks);
    const decoded = decodeBody(whole, headerOf(this.#headers, 'content-encoding'));
    const read = ({ bytes, failure }: DecodedBody): void => {
      if (failure === null) this.#answered(ended, bytes, null);
      else this.#answered(ended, null, failureReason('body-not-decoded', failure));
    };
    if (decoded instanceof Promise) void decoded.then(read);
    else read(decoded);
  }

  onError(error: Error): void {
    this.fail(error);
  }

  /** Ends it as failed; nothing where it has ended already. */
  fail(error: Error): void {
    if (this.#over) return;
    const endedMs = this.#end();
    this.#status = 0;
    this.#statusText = '';
    this.#headers = [];
    this.#answered(endedMs, null, exchangeFailure(error, this.request.origin, this.request.target));
  }

  /** Says what came of it. Nothing is spread here: that would take longer than all the rest of an answer. */
  #answered(atMs: number, body: Uint8Array | null, failure: FailureReason | null): void {
    this.done({
      status: this.#status,
      statusText: this.#statusText,
      headers: this.#headers,
      body,
      failure,
      hops: [],
      sentHeaders: this.sentHeaders,
      timings: this.#timings(atMs),
      durationMs: atMs - this.#started,
      bytesIn: this.#bytesIn,
      bytesOut: this.bytesOut,
    });
  }

  #end(): number {
    this.#over = true;
    clearTimeout(this.#timer);
    clearTimeout(this.#firstByteTimer);
    return performance.now();
  }

  #giveUp(reason: TimedOut): void {
    this.#givenUp = reason;
    this.#abort?.(reason);
  }

  #timings(end: number): Timings {
    const connect = this.connected();
    const connecting = connect ? Math.max(0, connect.dns) + Math.max(0, connect.connect) + Math.max(0, connect.tls) : 0;
    return {
      blocked: Math.max(0, this.#sentAt - this.#started - connecting),
      dns: connect?.dns ?? -1,
      connect: connect?.connect ?? -1,
      tls: connect?.tls ?? -1,
      send: 0,
      wait: this.#firstByteAt > 0 ? this.#firstByteAt - this.#sentAt : end - this.#sentAt,
      receive: this.#firstByteAt > 0 ? end - this.#firstByteAt : 0,
    };
  }
}

/** Raw headers as pairs. Over HTTP/2 several of one name may come as a list. */
function pairs(raw: readonly (Buffer | string | (Buffer | string)[])[] | null): Header[] {
  const found: Header[] = [];
  for (let at = 0; raw && at + 1 < raw.length; at += 2) {
    const name = textOf(raw[at]);
    const value = raw[at + 1];
    if (Array.isArray(value)) for (const item of value) found.push([name, textOf(item)]);
    else found.push([name, textOf(value)]);
  }
  return found;
}

const textOf = (raw: Buffer | string | (Buffer | string)[] | undefined): string => (typeof raw === 'string' ? raw : String(raw));
