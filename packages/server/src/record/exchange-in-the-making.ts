import { headerOf, mediaType, noTimings, type BodyRef, type Header, type Message, type RequestExchange, type Timings } from '@sturdy/core';
import { decodeBody, type DecodedBody } from '@sturdy/engine';
import { storedBody, type StoredBody } from '../store/stored-body.js';
import type { ExchangeTap, RequestHead, ResponseHead, SocketMessage } from './proxy/tap.js';

/** What the making of an exchange needs from its recording. */
export interface MakingGround {
  /** ms since the start of the take. */
  nowMs: () => number;
  /** Bodies above this many bytes are cut. */
  bodyLimitBytes: number;
  /** Something can be shown or stored: a response has begun, a message came. */
  grown: (making: ExchangeInTheMaking) => void;
  ended: (making: ExchangeInTheMaking) => void;
}

/** A WebSocket may send for hours; this many messages of it are kept. */
const mostMessages = 5000;
const largestTextMessage = 64 << 10;

/** A body as it passes: its beginning up to a limit, and how much there was in all. */
class PassingBody {
  readonly #chunks: Buffer[] = [];
  #kept = 0;
  #decoded: DecodedBody | null = null;
  size = 0;

  constructor(readonly limitBytes: number) {}

  add(chunk: Buffer): void {
    this.size += chunk.length;
    const room = this.limitBytes - this.#kept;
    if (room <= 0) return;
    const part = chunk.length <= room ? chunk : chunk.subarray(0, room);
    this.#chunks.push(part);
    this.#kept += part.length;
  }

  /** Undoes its content encodings once all of it has passed. Gives a promise where that takes a while. */
  decode(headers: readonly Header[], complete: boolean): Promise<void> | undefined {
    if (this.size === 0) return undefined;
    const decoded = decodeBody(Buffer.concat(this.#chunks), headerOf(headers, 'content-encoding'), this.#isCut || !complete);
    if (decoded instanceof Promise)
      return decoded.then((later) => {
        this.#decoded = later;
      });
    this.#decoded = decoded;
    return undefined;
  }

  get #isCut(): boolean {
    return this.#kept < this.size;
  }

  /** The reference to the body, and the body itself; null where there was none. What is not decoded yet is as it came. */
  take(headers: readonly Header[]): { ref: BodyRef; stored: StoredBody; failure: string | null } | null {
    if (this.size === 0) return null;
    const cut = this.#isCut;
    const decoded = this.#decoded ?? { bytes: Buffer.concat(this.#chunks), failure: null };
    const bytes = decoded.bytes.subarray(0, this.limitBytes);
    const { stored, ref } = storedBody(bytes, mediaType(headers));
    const wholeSize = cut ? Math.max(this.size, bytes.length) : decoded.bytes.length;
    return {
      ref: { ...ref, ...(wholeSize > bytes.length || cut ? { wholeSize } : {}) },
      stored,
      failure: decoded.failure,
    };
  }
}

/** One exchange while it is being recorded; what is there so far can be had at any time. */
export class ExchangeInTheMaking implements ExchangeTap {
  readonly #startedAtMs: number;
  readonly #request: PassingBody;
  readonly #response: PassingBody;
  readonly #messages: Message[] = [];
  #messageCount = 0;
  #head: ResponseHead | null = null;
  #timings: Timings | null = null;
  #endedAtMs: number | null = null;
  #over = false;
  /** Resolves once a large body is decoded, where one has to be. */
  settling: Promise<void> | null = null;
  #failure: string | null = null;
  #events: ((chunk: Buffer) => void) | null = null;

  constructor(
    readonly n: number,
    readonly request: RequestHead,
    readonly ground: MakingGround,
  ) {
    this.#startedAtMs = ground.nowMs();
    this.#request = new PassingBody(ground.bodyLimitBytes);
    this.#response = new PassingBody(ground.bodyLimitBytes);
  }

  requestData(chunk: Buffer): void {
    this.#request.add(chunk);
  }

  response(head: ResponseHead): void {
    this.#head = head;
    // Events in a compressed stream cannot be told apart while they pass; their text is there at the end.
    if (mediaType(head.headers) === 'text/event-stream' && headerOf(head.headers, 'content-encoding') === undefined)
      this.#events = eventReader((text) => {
        this.#keep({ atMs: this.ground.nowMs(), from: 'server', kind: 'event', text, base64: '', size: Buffer.byteLength(text) });
      });
    if (this.#events || head.status === 101) this.ground.grown(this);
  }

  responseData(chunk: Buffer): void {
    this.#response.add(chunk);
    this.#events?.(chunk);
  }

  message({ from, kind, data }: SocketMessage): void {
    const isText = kind !== 'binary';
    const kept = data.subarray(0, largestTextMessage);
    this.#keep({
      atMs: this.ground.nowMs(),
      from,
      kind,
      text: isText ? kept.toString('utf8') : '',
      base64: isText ? '' : kept.toString('base64'),
      size: data.length,
    });
  }

  end(timings: Timings, failure: string | null): void {
    if (this.#endedAtMs !== null) return;
    this.#timings = timings;
    this.#failure = failure;
    this.#endedAtMs = this.ground.nowMs();
    const decoding = [
      this.#request.decode(this.request.headers, true),
      this.#head ? this.#response.decode(this.#head.headers, failure === null) : undefined,
    ];
    if (decoding.every((bodyDecoded) => bodyDecoded === undefined)) this.#isWhole();
    else
      this.settling = Promise.all(decoding.map((bodyDecoded) => bodyDecoded ?? Promise.resolve())).then(() => {
        this.#isWhole();
      });
  }

  #isWhole(): void {
    this.#over = true;
    this.ground.ended(this);
  }

  /** True once it has ended, and its bodies can be read. */
  get over(): boolean {
    return this.#over;
  }

  /** The exchange as far as it has come, and the bodies that belong to it. */
  snapshot(): { exchange: RequestExchange; bodies: StoredBody[] } {
    const { request } = this;
    const sent = this.#request.take(request.headers);
    // The body of a stream that still grows would be stored anew each time; its events are among the messages.
    const received = this.#head && this.over ? this.#response.take(this.#head.headers) : null;
    const durationMs = (this.#endedAtMs ?? this.ground.nowMs()) - this.#startedAtMs;
    return {
      exchange: {
        kind: 'request',
        n: this.n,
        startedAtMs: this.#startedAtMs,
        durationMs: Math.max(0, durationMs),
        method: request.method,
        url: request.url,
        httpVersion: request.httpVersion,
        requestHeaders: request.headers,
        requestBody: sent?.ref ?? null,
        response: this.#head && { ...this.#head, body: received?.ref ?? null },
        failure: this.#failure ?? received?.failure ?? this.#tooMany(),
        timings: this.#timings ?? noTimings,
        harEntry: null,
        ...(this.#messages.length > 0 || this.#head?.status === 101 || this.#events ? { messages: [...this.#messages] } : {}),
      },
      bodies: [sent?.stored, received?.stored].filter((body) => body !== undefined),
    };
  }

  #tooMany(): string | null {
    if (this.#messageCount <= mostMessages) return null;
    return `Only the first ${mostMessages.toLocaleString('en')} of ${this.#messageCount.toLocaleString('en')} messages were kept.`;
  }

  #keep(message: Message): void {
    if (++this.#messageCount > mostMessages) return;
    this.#messages.push(message);
    this.ground.grown(this);
  }
}

/** Tells the events of an event stream as they pass: blocks between blank lines (HTML standard, 9.2.6). */
function eventReader(onText: (text: string) => void): (chunk: Buffer) => void {
  const decoder = new TextDecoder();
  let rest = '';
  return (chunk) => {
    const blocks = (rest + decoder.decode(chunk, { stream: true })).split(/\r\n\r\n|\n\n|\r\r/);
    rest = blocks.pop() ?? '';
    for (const block of blocks) if (block.trim() !== '') onText(block);
  };
}
