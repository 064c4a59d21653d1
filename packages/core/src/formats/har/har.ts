import { base64ToBytes, bytesToBase64 } from '../../bytes.js';
import type { BodyRef, Exchange, Mark } from '../../take/take.schema.js';
import { headerOf } from '../../take/messages.js';
import { HarEntrySchema, HarSchema, type HarEntry } from './har.schema.js';

/** Gives stored bodies to and from a HAR file. `put` stores bytes and returns their reference. */
export interface BodyShelf {
  put: (bytes: Uint8Array, mimeType: string) => BodyRef;
}

/** A HAR file as a take without an id. */
export interface ImportedHar {
  startedAt: string;
  exchanges: Exchange[];
  marks: Mark[];
  harLog: Record<string, unknown>;
  /** Entries that were left out, each with its number from 1 and the reason. */
  problems: { entry: number; text: string }[];
}

const utf8 = new TextEncoder();

/** Reads a HAR 1.2 document. Throws an error that says what is wrong where it is not a HAR; broken entries are listed. */
export function importHar(document: unknown, shelf: BodyShelf): ImportedHar {
  const har = HarSchema.safeParse(document);
  if (!har.success)
    throw new Error(
      'This is not a HAR file: it has no log.entries. Export it again from the browser as “HAR with content”, then import that file.',
    );
  const { entries, ...harLog } = har.data.log;
  const problems: ImportedHar['problems'] = [];
  const good: { entry: HarEntry; startedMs: number; number: number }[] = [];
  entries.forEach((raw, index) => {
    const parsed = HarEntrySchema.safeParse(raw);
    if (!parsed.success) {
      const [issue] = parsed.error.issues;
      problems.push({ entry: index + 1, text: `${issue?.path.join('.') ?? 'it'}: ${issue?.message ?? 'cannot be read'}` });
      return;
    }
    const startedMs = Date.parse(parsed.data.startedDateTime);
    if (Number.isNaN(startedMs)) problems.push({ entry: index + 1, text: `startedDateTime “${parsed.data.startedDateTime}” is no time` });
    else if (!URL.canParse(parsed.data.request.url))
      problems.push({ entry: index + 1, text: `request.url “${parsed.data.request.url.slice(0, 80)}” is no address` });
    else good.push({ entry: parsed.data, startedMs, number: index + 1 });
  });
  good.sort((left, right) => left.startedMs - right.startedMs);
  const originMs = good[0]?.startedMs ?? 0;
  return {
    startedAt: new Date(originMs).toISOString(),
    exchanges: good.map(({ entry, startedMs }, index) => exchangeOf(entry, index + 1, startedMs - originMs, shelf)),
    marks: pageMarks(harLog, originMs),
    harLog,
    problems,
  };
}

/** Pages of a HAR become transactions: each page begins where it started. */
function pageMarks(log: Record<string, unknown>, originMs: number): Mark[] {
  const pages = Array.isArray(log['pages']) ? (log['pages'] as { startedDateTime?: string; title?: string }[]) : [];
  return pages
    .map((page): Mark => ({ kind: 'begin', atMs: Date.parse(page.startedDateTime ?? '') - originMs, text: page.title ?? 'Page' }))
    .filter((mark) => !Number.isNaN(mark.atMs))
    .sort((left, right) => left.atMs - right.atMs);
}

function exchangeOf(entry: HarEntry, n: number, startedAtMs: number, shelf: BodyShelf): Exchange {
  const { request, response } = entry;
  const headers = (list: { name: string; value: string }[]): [string, string][] => list.map(({ name, value }) => [name, value]);
  const timing = (value: number | null | undefined) => value ?? -1;
  const content = response.content;
  const contentBytes =
    content?.text == null ? null : content.encoding === 'base64' ? base64ToBytes(content.text) : utf8.encode(content.text);
  const post = postBytes(request.postData);
  // Bodies live on the shelf; what remains of the entry is kept for the export.
  const kept: HarEntry = {
    ...entry,
    request: request.postData?.text == null ? request : { ...request, postData: { ...request.postData, text: '' } },
    response: content?.text == null ? response : { ...response, content: without(content, 'text') },
  };
  return {
    n,
    startedAtMs,
    durationMs: Math.max(0, entry.time ?? 0),
    method: request.method,
    url: request.url,
    httpVersion: request.httpVersion ?? 'HTTP/1.1',
    requestHeaders: headers(request.headers),
    requestBody:
      post &&
      shelf.put(
        post,
        (request.postData?.mimeType ?? headerOf(headers(request.headers), 'content-type') ?? '').split(';')[0]?.trim().toLowerCase() ?? '',
      ),
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
    failure: response.status <= 0 ? 'The recording has no response for this request.' : null,
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
  };
}

function without<T extends object>(object: T, key: keyof T): T {
  const { [key]: _dropped, ...rest } = object;
  return rest as T;
}

/** The body that was posted: its text, or a form made from the listed parameters. */
function postBytes(post: HarEntry['request']['postData']): Uint8Array | null {
  if (post?.text != null) return utf8.encode(post.text);
  if (!post?.params?.length || post.mimeType?.startsWith('multipart/')) return null;
  return utf8.encode(new URLSearchParams(post.params.map((one): [string, string] => [one.name, one.value ?? ''])).toString());
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
  const log = take.harLog ?? { version: '1.2', creator: { name: 'Sturdy Puppet', version: '0.1.0' }, pages };
  const pageOf = (atMs: number) => begins.findLastIndex((mark) => mark.atMs <= atMs);
  return {
    log: {
      ...log,
      entries: exchanges.map((one) => {
        const page = pageOf(one.startedAtMs);
        return entryOf(one, originMs, readBytes, take.harLog === null && page >= 0 ? `page_${page + 1}` : null);
      }),
    },
  };
}

function entryOf(one: Exchange, originMs: number, readBytes: (hash: string) => Uint8Array | undefined, pageref: string | null): HarEntry {
  const post = one.requestBody && readBytes(one.requestBody.hash);
  const bytes = one.response?.body && readBytes(one.response.body.hash);
  const kept = one.harEntry as HarEntry | null;
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
  const url = new URL(one.url);
  const contentType = headerOf(one.requestHeaders, 'content-type') ?? '';
  return {
    ...(pageref === null ? {} : { pageref }),
    startedDateTime: new Date(originMs + one.startedAtMs).toISOString(),
    time: one.durationMs,
    request: {
      method: one.method,
      url: one.url,
      httpVersion: one.httpVersion,
      cookies: cookiesOf(headerOf(one.requestHeaders, 'cookie')),
      headers: pairs(one.requestHeaders),
      queryString: [...url.searchParams].map(([name, value]) => ({ name, value })),
      headersSize: -1,
      bodySize: one.requestBody?.size ?? 0,
      ...(post ? { postData: { mimeType: contentType, ...asContent(post, false) } } : {}),
    },
    response: {
      status: one.response?.status ?? 0,
      statusText: one.response?.statusText ?? '',
      httpVersion: one.response?.httpVersion ?? '',
      cookies: (one.response?.headers ?? [])
        .filter(([name]) => name.toLowerCase() === 'set-cookie')
        .flatMap(([, value]) => cookiesOf(value.split(';')[0])),
      headers: pairs(one.response?.headers ?? []),
      content: {
        size: one.response?.body?.size ?? 0,
        mimeType: headerOf(one.response?.headers ?? [], 'content-type') ?? '',
        ...(bytes ? asContent(bytes, false) : {}),
      },
      redirectURL: headerOf(one.response?.headers ?? [], 'location') ?? '',
      headersSize: -1,
      bodySize: -1,
    },
    cache: {},
    timings: {
      blocked: one.timings.blocked,
      dns: one.timings.dns,
      connect: one.timings.connect,
      ssl: one.timings.tls,
      send: Math.max(0, one.timings.send),
      wait: Math.max(0, one.timings.wait),
      receive: Math.max(0, one.timings.receive),
    },
  };
}

function cookiesOf(line: string | undefined): { name: string; value: string }[] {
  return (line ?? '')
    .split(/;\s*/)
    .filter((pair) => pair.includes('='))
    .map((pair) => ({ name: pair.slice(0, pair.indexOf('=')), value: pair.slice(pair.indexOf('=') + 1) }));
}
