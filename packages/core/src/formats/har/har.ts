import * as z from 'zod';
import { cutText } from '../../cut-text.js';
import { base64ToBytes, bytesToBase64 } from '../../bytes.js';
import {
  RequestExchangeSchema,
  type BodyRef,
  type Exchange,
  type RequestExchange,
  type Mark,
  type Message,
} from '../../take/take.schema.js';
import { headerOf } from '../../take/messages.js';
import { asStored } from './whole-take.js';
import { HarEntrySchema, HarSchema, SocketMessagesSchema, type HarEntry } from './har.schema.js';
import { version } from '../../version.js';
import { isRequest } from '../../take/exchanges.js';

/** Gives stored bodies to and from a HAR file. `put` stores bytes and returns their reference. */
export interface BodyShelf {
  put: (bytes: Uint8Array, mimeType: string) => BodyRef;
}

/** A HAR file as a take without an id. */
export interface ImportedHar {
  startedAt: string;
  exchanges: RequestExchange[];
  marks: Mark[];
  harLog: Record<string, unknown>;
  /** Entries that were left out, each with its number from 1 and the reason. */
  problems: { entry: number; text: string }[];
}

const utf8 = new TextEncoder();

/** One entry of a HAR that was read: its exchange, numbered and timed from the first entry of the file, or what is wrong with it. */
export type ReadEntry = { exchange: RequestExchange; startedMs: number } | { problem: string };

/** Reads the entries of a HAR 1.2 file one by one, as they come. */
export class HarReader {
  #count = 0;
  #zeroMs: number | null = null;

  constructor(readonly shelf: BodyShelf) {}

  /** Start of the first good entry, ms since 1970; 0 before there is one. */
  get zeroMs(): number {
    return this.#zeroMs ?? 0;
  }

  read(raw: unknown): ReadEntry {
    const parsed = HarEntrySchema.safeParse(raw);
    if (!parsed.success) {
      const [issue] = parsed.error.issues;
      return { problem: `${issue?.path.join('.') ?? 'it'}: ${issue?.message ?? 'cannot be read'}` };
    }
    const entry = parsed.data;
    const startedMs = Date.parse(entry.startedDateTime);
    const { url } = entry.request;
    if (Number.isNaN(startedMs)) return { problem: `startedDateTime “${entry.startedDateTime}” is no time` };
    if (!URL.canParse(url)) return { problem: `request.url “${cutText(url, 80)}” is no address` };
    if (!/^(https?|wss?):$/.test(new URL(url).protocol)) return { problem: `request.url “${cutText(url, 40)}” never left the browser` };
    const zeroMs = this.#zeroMs ?? startedMs;
    // A body is put on the shelf only once the whole entry is known to be good.
    const bodies: [Uint8Array, string, BodyRef][] = [];
    const shelf: BodyShelf = {
      put: (bytes, mimeType) => {
        const ref: BodyRef = { hash: '', size: bytes.length, mimeType };
        bodies.push([bytes, mimeType, ref]);
        return ref;
      },
    };
    let exchange: RequestExchange;
    try {
      exchange = exchangeOf(entry, this.#count + 1, startedMs - zeroMs, shelf);
    } catch {
      return { problem: 'a body is marked as base64, and is none' };
    }
    exchange = asStored(entry, exchange);
    // What is stored must be readable for ever, so it is checked by the schema by which it is read back.
    const checked = RequestExchangeSchema.safeParse(exchange);
    if (!checked.success) {
      const [issue] = checked.error.issues;
      return { problem: `${issue?.path.join('.') ?? 'it'}: ${issue?.message ?? 'cannot be kept'}` };
    }
    for (const [bytes, mimeType, ref] of bodies) ref.hash = this.shelf.put(bytes, mimeType).hash;
    this.#zeroMs = zeroMs;
    this.#count++;
    return { exchange, startedMs };
  }
}

/** Reads a whole HAR 1.2 document. Throws an error that says what is wrong where it is not a HAR; broken entries are listed. */
export function importHar(document: unknown, shelf: BodyShelf): ImportedHar {
  const har = HarSchema.safeParse(document);
  if (!har.success) throw new Error(notHar);
  const { entries, ...harLog } = har.data.log;
  const problems: ImportedHar['problems'] = [];
  const reader = new HarReader(shelf);
  const good: { exchange: RequestExchange; startedMs: number }[] = [];
  entries.forEach((raw, index) => {
    const read = reader.read(raw);
    if ('problem' in read) problems.push({ entry: index + 1, text: read.problem });
    else good.push(read);
  });
  good.sort((left, right) => left.startedMs - right.startedMs);
  const originMs = good[0]?.startedMs ?? 0;
  return {
    startedAt: new Date(originMs).toISOString(),
    exchanges: good.map(({ exchange, startedMs }, index) => ({ ...exchange, n: index + 1, startedAtMs: startedMs - originMs })),
    marks: pageMarks(harLog, originMs),
    harLog,
    problems,
  };
}

/** What is said of a file that is no HAR. */
export const notHar =
  'This is not a HAR file: it has no log.entries. Export it again from the browser as “HAR with content”, then import that file.';

/** What is read of a page; what is of another type than HAR 1.2 says counts as missing. */
const HarPageSchema = z.object({
  startedDateTime: z.string().catch(''),
  title: z.string().catch('Page'),
  pageTimings: z.record(z.string(), z.unknown()).catch({}),
});

/** Pages of a HAR become transactions: each page begins where it started. One with timings is a page that a browser loaded (HAR 1.2). */
export function pageMarks(log: Record<string, unknown>, originMs: number): Mark[] {
  const pages = z
    .array(HarPageSchema.catch({ startedDateTime: '', title: '', pageTimings: {} }))
    .catch([])
    .parse(log['pages']);
  return pages
    .map((page): Mark => ({
      kind: 'begin',
      atMs: Date.parse(page.startedDateTime) - originMs,
      text: page.title,
      ...(Object.keys(page.pageTimings).length > 0 ? { page: true as const } : {}),
    }))
    .filter((mark) => !Number.isNaN(mark.atMs))
    .sort((left, right) => left.atMs - right.atMs);
}

function exchangeOf(entry: HarEntry, n: number, startedAtMs: number, shelf: BodyShelf): RequestExchange {
  const { request, response } = entry;
  // Pseudo-headers of HTTP/2 repeat method and address; several Set-Cookie lines come merged into one by some browsers.
  const headers = (list: { name: string; value: string }[]): [string, string][] =>
    list
      .filter(({ name }) => !name.startsWith(':'))
      .flatMap(({ name, value }) =>
        (/^set-cookie$/i.test(name) ? value.split('\n') : [value]).map((line): [string, string] => [name, line]),
      );
  const timing = (value: number | null | undefined) => (value == null || value < 0 ? -1 : value);
  const messages = socketMessages(entry, startedAtMs);
  const content = response.content;
  // Some browsers write an empty text where they did not keep a body.
  const isKept = content?.text != null && !(content.text === '' && (content.size ?? 0) > 0);
  const contentBytes = !isKept ? null : content.encoding === 'base64' ? base64ToBytes(content.text ?? '') : utf8.encode(content.text ?? '');
  const post = postBytes(request.postData);
  const headersGiven = headers(request.headers);
  const postType = request.postData?.mimeType ?? headerOf(headersGiven, 'content-type') ?? '';
  // Some recorders tell the kind of a body only with the body; sent without its header it would be another request.
  const sent: [string, string][] =
    post && postType !== '' && headerOf(headersGiven, 'content-type') === undefined
      ? [...headersGiven, ['Content-Type', postType]]
      : headersGiven;
  // Bodies live on the shelf; what remains of the entry is kept for the export.
  const kept: HarEntry = {
    ...entry,
    request: request.postData?.text == null ? request : { ...request, postData: { ...request.postData, text: '' } },
    response: !isKept ? response : { ...response, content: without(content, 'text') },
  };
  return {
    kind: 'request',
    n,
    startedAtMs,
    durationMs: Math.max(0, entry.time ?? 0),
    method: request.method,
    url: request.url,
    httpVersion: request.httpVersion ?? 'HTTP/1.1',
    requestHeaders: sent,
    requestBody: post && shelf.put(post, postType.split(';')[0]?.trim().toLowerCase() ?? ''),
    response:
      response.status <= 0
        ? null
        : {
            status: response.status,
            statusText: response.statusText ?? '',
            httpVersion: response.httpVersion ?? 'HTTP/1.1',
            headers: headers(response.headers),
            body: contentBytes && shelf.put(contentBytes, (content?.mimeType ?? '').split(';')[0]?.trim().toLowerCase() ?? ''),
          },
    failure: response.status <= 0 ? noAnswer(entry) : null,
    timings: {
      blocked: timing(entry.timings?.blocked),
      dns: timing(entry.timings?.dns),
      connect: timing(entry.timings?.connect),
      tls: timing(entry.timings?.ssl),
      send: timing(entry.timings?.send),
      wait: timing(entry.timings?.wait),
      receive: timing(entry.timings?.receive),
    },
    harEntry: kept,
    ...(messages ? { messages } : {}),
  };
}

/** Why there is no answer, where the browser wrote it down. */
function noAnswer({ response }: HarEntry): string {
  const errorGiven = response['_error'];
  return typeof errorGiven === 'string' && errorGiven !== ''
    ? `The browser got no answer: ${errorGiven}.`
    : 'The recording has no response for this request.';
}

/** Messages of a WebSocket as browsers add them to an entry; their times are seconds since 1970. */
function socketMessages(entry: HarEntry, startedAtMs: number): Message[] | null {
  const listed = SocketMessagesSchema.safeParse(entry['_webSocketMessages']);
  if (!listed.success) return null;
  const zeroMs = Date.parse(entry.startedDateTime);
  return listed.data.map(({ type, time, opcode, data }): Message => {
    const isBinary = opcode === 2;
    return {
      atMs: startedAtMs + Math.max(0, time * 1000 - zeroMs),
      from: type === 'send' ? 'client' : 'server',
      kind: isBinary ? 'binary' : opcode === 8 ? 'close' : opcode === 9 ? 'ping' : opcode === 10 ? 'pong' : 'text',
      text: isBinary ? '' : data,
      base64: isBinary ? data : '',
      size: isBinary ? Math.floor((data.replace(/=+$/, '').length * 3) / 4) : utf8.encode(data).length,
    };
  });
}

function without<T extends object>(object: T, key: keyof T): T {
  const { [key]: _dropped, ...rest } = object;
  return rest as T;
}

/** The body that was posted: its text, or a form made from the listed parameters. */
function postBytes(post: HarEntry['request']['postData']): Uint8Array | null {
  if (post?.text != null)
    return post['encoding'] === 'base64' || post['_encoding'] === 'base64' ? base64ToBytes(post.text) : utf8.encode(post.text);
  if (!post?.params?.length || post.mimeType?.startsWith('multipart/')) return null;
  return utf8.encode(new URLSearchParams(post.params.map((param): [string, string] => [param.name, param.value ?? ''])).toString());
}

/** Text where the bytes are valid UTF-8, base64 where not. */
function asContent(bytes: Uint8Array, base64: boolean): { text: string; encoding?: 'base64' } {
  if (!base64) {
    try {
      return { text: new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes) };
    } catch {
      // Not text after all; base64 keeps every byte.
    }
  }
  return { text: bytesToBase64(bytes), encoding: 'base64' };
}

/** Writes a take as HAR 1.2. What an import could not place in our own types is written back as it came. */
export function exportHar(
  take: { startedAt: string; marks: readonly Mark[]; harLog: Record<string, unknown> | null },
  exchanges: readonly Exchange[],
  readBytes: (hash: string) => Uint8Array | undefined,
): { log: Record<string, unknown> } {
  const originMs = Date.parse(take.startedAt);
  const begins = take.marks.filter((mark) => mark.kind === 'begin');
  const pages = begins.map((mark, index) => ({
    startedDateTime: new Date(originMs + mark.atMs).toISOString(),
    id: `page_${index + 1}`,
    title: mark.text,
    pageTimings: {},
  }));
  const log = take.harLog ?? { version: '1.2', creator: { name: 'Sturdy Puppet', version }, pages };
  const pageOf = (atMs: number) => begins.findLastIndex((mark) => mark.atMs <= atMs);
  return {
    log: {
      ...log,
      // Messages over a WebSocket stand in the entry of its handshake.
      entries: exchanges.filter(isRequest).map((exchange) => {
        const page = pageOf(exchange.startedAtMs);
        return entryOf(exchange, originMs, readBytes, take.harLog === null && page >= 0 ? `page_${page + 1}` : null);
      }),
    },
  };
}

function entryOf(
  exchange: RequestExchange,
  originMs: number,
  readBytes: (hash: string) => Uint8Array | undefined,
  pageref: string | null,
): HarEntry {
  const post = exchange.requestBody && readBytes(exchange.requestBody.hash);
  const bytes = exchange.response?.body && readBytes(exchange.response.body.hash);
  const kept = exchange.harEntry as HarEntry | null;
  if (kept) {
    const wasBase64 = kept.response.content?.encoding === 'base64';
    // A body that stood only in `params` was put together by us at import; the parameters themselves are in `kept`.
    const fromText = kept.request.postData?.text === '';
    return {
      ...kept,
      request: post && fromText ? { ...kept.request, postData: { ...kept.request.postData, ...asContent(post, false) } } : kept.request,
      response: bytes ? { ...kept.response, content: { ...kept.response.content, ...asContent(bytes, wasBase64) } } : kept.response,
    };
  }
  const pairs = (headers: readonly (readonly [string, string])[]) => headers.map(([name, value]) => ({ name, value }));
  const url = new URL(exchange.url);
  const contentType = headerOf(exchange.requestHeaders, 'content-type') ?? '';
  return {
    ...(pageref === null ? {} : { pageref }),
    startedDateTime: new Date(originMs + exchange.startedAtMs).toISOString(),
    time: exchange.durationMs,
    request: {
      method: exchange.method,
      url: exchange.url,
      httpVersion: exchange.httpVersion,
      cookies: cookiesOf(headerOf(exchange.requestHeaders, 'cookie')),
      headers: pairs(exchange.requestHeaders),
      queryString: [...url.searchParams].map(([name, value]) => ({ name, value })),
      headersSize: -1,
      bodySize: exchange.requestBody?.size ?? 0,
      ...(post ? { postData: { mimeType: contentType, ...asContent(post, false) } } : {}),
    },
    response: {
      status: exchange.response?.status ?? 0,
      statusText: exchange.response?.statusText ?? '',
      httpVersion: exchange.response?.httpVersion ?? '',
      cookies: (exchange.response?.headers ?? [])
        .filter(([name]) => name.toLowerCase() === 'set-cookie')
        .flatMap(([, value]) => cookiesOf(value.split(';')[0])),
      headers: pairs(exchange.response?.headers ?? []),
      content: {
        size: exchange.response?.body?.size ?? 0,
        mimeType: headerOf(exchange.response?.headers ?? [], 'content-type') ?? '',
        ...(bytes ? asContent(bytes, false) : {}),
      },
      redirectURL: headerOf(exchange.response?.headers ?? [], 'location') ?? '',
      headersSize: -1,
      bodySize: -1,
    },
    cache: {},
    timings: {
      blocked: exchange.timings.blocked,
      dns: exchange.timings.dns,
      connect: exchange.timings.connect,
      ssl: exchange.timings.tls,
      send: Math.max(0, exchange.timings.send),
      wait: Math.max(0, exchange.timings.wait),
      receive: Math.max(0, exchange.timings.receive),
    },
    ...(exchange.messages?.some((message) => message.kind !== 'event')
      ? { _webSocketMessages: exchange.messages.map((message) => listedMessage(message, originMs)) }
      : {}),
  };
}

const opcodes = { text: 1, binary: 2, close: 8, ping: 9, pong: 10, event: 1 };

const listedMessage = (message: Message, originMs: number) => ({
  type: message.from === 'client' ? 'send' : 'receive',
  time: (originMs + message.atMs) / 1000,
  opcode: opcodes[message.kind],
  data: message.kind === 'binary' ? message.base64 : message.text,
});

function cookiesOf(line: string | undefined): { name: string; value: string }[] {
  return (line ?? '')
    .split(/;\s*/)
    .filter((pair) => pair.includes('='))
    .map((pair) => ({ name: pair.slice(0, pair.indexOf('=')), value: pair.slice(pair.indexOf('=') + 1) }));
}
