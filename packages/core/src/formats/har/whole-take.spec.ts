import { createHash } from 'node:crypto';
import fc from 'fast-check';
import {
  entryWithAll,
  exportHar,
  HarStream,
  importHar,
  membersWithAll,
  type BodyRef,
  type Exchange,
  type MessageExchange,
  type RequestExchange,
  type Take,
} from '../../index.js';

/** Bodies by their hash, as a store keeps them. */
function shelfOf() {
  const bytes = new Map<string, Uint8Array>();
  const put = (body: Uint8Array, mimeType: string): BodyRef => {
    const hash = createHash('sha256').update(body).digest('hex');
    bytes.set(hash, body);
    return { hash, size: body.length, mimeType };
  };
  return { put, read: (hash: string) => bytes.get(hash) };
}

/** A take written as a file of a project, and read back from it in pieces. */
function roundTrip(take: Take, exchanges: readonly Exchange[], read: (hash: string) => Uint8Array | undefined) {
  const { log } = exportHar(take, exchanges, read);
  const requests = exchanges.filter((exchange) => exchange.kind === 'request');
  const messages = exchanges.filter((exchange) => exchange.kind === 'message');
  const written = log['entries'] as Parameters<typeof entryWithAll>[0][];
  const entries = requests.flatMap((exchange, at) => {
    const entry = written[at];
    return entry ? [entryWithAll(entry, exchange)] : [];
  });
  const text = Buffer.from(JSON.stringify({ log: { ...log, ...membersWithAll(take, messages, read), entries } }));
  const shelf = shelfOf();
  const back: Exchange[] = [];
  const stream = new HarStream(shelf, (exchange) => back.push(exchange));
  for (let at = 0; at < text.length; at += 1000) stream.write(text.subarray(at, at + 1000));
  return { end: stream.end(), exchanges: back.sort((left, right) => left.n - right.n), shelf, text: text.toString('utf8') };
}

const take: Take = {
  id: 'take-of-the-test',
  projectId: 'p',
  name: 'Book intake',
  startedAt: '2026-11-23T10:00:00.123Z',
  state: 'done',
  marks: [
    { kind: 'begin', atMs: 0.25, text: 'Sign in' },
    { kind: 'comment', atMs: 10, text: 'the bay was full' },
  ],
  harLog: null,
  warnings: [{ kind: 'cached', about: '/logo', text: 'It came from a cache.', exchange: 2 }],
};

const shelf = shelfOf();
const body = fc
  .oneof(
    fc.string({ unit: 'grapheme' }).map((text) => Buffer.from(text)),
    fc.uint8Array({ maxLength: 40 }).map((bytes) => Buffer.from(bytes)),
  )
  .map((bytes) => shelf.put(bytes, 'text/plain'));
const headers = fc.array(fc.tuple(fc.constantFrom('X-Bay', 'Accept', 'Set-Cookie'), fc.string({ unit: 'grapheme-ascii' })), {
  maxLength: 4,
});
const ms = fc.double({ min: 0, max: 1e6, noNaN: true });
const request = fc.record({
  kind: fc.constant('request' as const),
  startedAtMs: ms,
  durationMs: ms,
  url: fc.constantFrom('http://127.0.0.1:9/', 'https://127.0.0.1:9/a?b=c%20d'),
  method: fc.constantFrom('GET', 'POST', 'PATCH'),
  httpVersion: fc.constantFrom('HTTP/1.1', 'HTTP/2'),
  requestHeaders: headers,
  requestBody: fc.option(body),
  response: fc.option(
    fc.record({
      status: fc.integer({ min: 100, max: 599 }),
      statusText: fc.string(),
      httpVersion: fc.constant('HTTP/1.1'),
      headers,
      body: fc.option(body.map((ref) => ({ ...ref, wholeSize: 99_999 }))),
    }),
  ),
  failure: fc.option(fc.string()),
  timings: fc.record({ blocked: ms, dns: fc.constant(-1), connect: ms, tls: fc.constant(-1), send: ms, wait: ms, receive: ms }),
  harEntry: fc.constant(null),
});
const message = fc.record({
  kind: fc.constant('message' as const),
  startedAtMs: ms,
  durationMs: ms,
  url: fc.constant('ws://127.0.0.1:9/live'),
  openedBy: fc.constant(1),
  action: fc.constantFrom('send' as const, 'await' as const),
  format: fc.constantFrom('text' as const, 'binary' as const),
  same: fc.array(fc.constant('/id')),
  sent: fc.option(body),
  answer: fc.option(body),
});

describe('a take as a file of a project', () => {
  it('is the same take when it is read back, whatever was recorded', () => {
    fc.assert(
      fc.property(fc.array(fc.oneof(request, message), { minLength: 1, maxLength: 6 }), (recorded) => {
        const exchanges = recorded.map((exchange, at) => ({ ...exchange, n: at + 1 })) as Exchange[];
        const { end, exchanges: back, shelf: kept } = roundTrip(take, exchanges, shelf.read);
        const { projectId: _project, ...whole } = take;
        expect(end.whole).toEqual(whole);
        expect(end.renumber).toBeNull();
        expect(back).toEqual(exchanges);
        for (const exchange of back)
          for (const ref of exchange.kind === 'request'
            ? [exchange.requestBody, exchange.response?.body]
            : [exchange.sent, exchange.answer])
            if (ref) expect(kept.read(ref.hash)).toEqual(shelf.read(ref.hash));
      }),
      { numRuns: 150 },
    );
  });

  it('keeps what another program wrote, and remains a HAR that others can read', () => {
    const entry = {
      startedDateTime: '2026-11-23T10:00:00.500Z',
      time: 30,
      _initiator: 'script',
      request: { method: 'GET', url: 'http://127.0.0.1:1/a', httpVersion: 'HTTP/1.1', headers: [] },
      response: {
        status: 200,
        statusText: 'OK',
        httpVersion: 'HTTP/1.1',
        headers: [],
        content: { size: 5, mimeType: 'text/html', text: 'hello' },
      },
    };
    const imported = importHar({ log: { version: '1.2', creator: { name: 'another', version: '7' }, entries: [entry] } }, shelf);
    const read = roundTrip({ ...take, harLog: imported.harLog }, imported.exchanges, shelf.read);
    expect(read.exchanges).toEqual(imported.exchanges);
    expect(read.end.whole?.harLog).toEqual(imported.harLog);
    expect(importHar(JSON.parse(read.text), shelf).problems).toEqual([]);
  });

  it('is another request where somebody changed its address: what HAR says counts, and no address that is none comes in', () => {
    const entry = {
      startedDateTime: '2026-11-23T10:00:00.500Z',
      request: { method: 'GET', url: 'http://127.0.0.1:1/a', headers: [] },
      response: { status: 200, headers: [], content: {} },
    };
    const [read] = importHar({ log: { entries: [entry] } }, shelf).exchanges;
    if (!read) throw new Error('The entry was not read.');
    const changed = importHar({ log: { entries: [{ ...entry, _exchange: { ...read, url: 'no address', n: 99 } }] } }, shelf).exchanges[0];
    expect([changed?.url, changed?.n]).toEqual(['http://127.0.0.1:1/a', 1]);
  });

  it('is taken as it stands where somebody changed its body', () => {
    const exchange: MessageExchange | RequestExchange = {
      kind: 'request',
      n: 1,
      startedAtMs: 0,
      durationMs: 1,
      url: 'http://127.0.0.1:9/',
      method: 'GET',
      httpVersion: 'HTTP/1.1',
      requestHeaders: [],
      requestBody: null,
      response: { status: 200, statusText: '', httpVersion: 'HTTP/1.1', headers: [], body: shelf.put(Buffer.from('bay 4'), 'text/plain') },
      failure: null,
      timings: { blocked: 0, dns: -1, connect: -1, tls: -1, send: 0, wait: 1, receive: 0 },
      harEntry: null,
    };
    const text = roundTrip(take, [exchange], shelf.read).text.replace('"bay 4"', '"bay 5"');
    const other = shelfOf();
    const back: Exchange[] = [];
    const stream = new HarStream(other, (read) => back.push(read));
    stream.write(Buffer.from(text));
    stream.end();
    const [read] = back;
    expect(read?.kind === 'request' && Buffer.from(other.read(read.response?.body?.hash ?? '') ?? []).toString()).toBe('bay 5');
  });
});
