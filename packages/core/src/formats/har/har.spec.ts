import { createHash } from 'node:crypto';
import { exportHar, importHar, type BodyRef } from '../../index.js';
import { form, html, TakeBuilder } from '../../test/take-builder.js';

const shelf = () => {
  const bytes = new Map<string, Uint8Array>();
  return {
    bytes,
    put: (body: Uint8Array, mimeType: string): BodyRef => {
      const hash = createHash('sha256').update(body).digest('hex');
      bytes.set(hash, body);
      return { hash, size: body.length, mimeType };
    },
  };
};
const entry = (more: object = {}) => ({
  startedDateTime: '2026-11-23T10:00:00.500Z',
  time: 30,
  request: {
    method: 'GET',
    url: 'http://127.0.0.1:1/a?b=c',
    httpVersion: 'HTTP/1.1',
    headers: [{ name: 'Accept', value: '*/*' }],
    cookies: [],
    queryString: [{ name: 'b', value: 'c' }],
    headersSize: -1,
    bodySize: 0,
  },
  response: {
    status: 200,
    statusText: 'OK',
    httpVersion: 'HTTP/1.1',
    headers: [],
    cookies: [],
    content: { size: 5, mimeType: 'text/html; charset=utf-8', text: 'hällo' },
    redirectURL: '',
    headersSize: -1,
    bodySize: -1,
  },
  cache: {},
  timings: { blocked: -1, dns: 1, connect: 2, ssl: -1, send: 0, wait: 20, receive: 10 },
  ...more,
});
const har = (entries: unknown[], log: object = {}) => ({ log: { version: '1.2', creator: { name: 'c', version: '1' }, entries, ...log } });

describe('HAR 1.2 (the fields of its specification)', () => {
  it('is read: times from the first entry on, bodies in their bytes, media types without parameters', () => {
    const store = shelf();
    const read = importHar(har([entry({ startedDateTime: '2026-11-23T10:00:01.000Z' }), entry()]), store);
    expect(read.startedAt).toBe('2026-11-23T10:00:00.500Z');
    expect(read.exchanges.map((exchange) => [exchange.n, exchange.startedAtMs])).toEqual([
      [1, 0],
      [2, 500],
    ]);
    const body = read.exchanges[0]?.response?.body;
    expect(body).toMatchObject({ mimeType: 'text/html', size: 6 });
    expect(Buffer.from(store.bytes.get(body?.hash ?? '') ?? []).toString()).toBe('hällo');
    expect(read.exchanges[0]?.timings).toMatchObject({ dns: 1, connect: 2, tls: -1, wait: 20 });
  });

  it('makes a form of posted parameters where there is no text, and pages become marks', () => {
    const store = shelf();
    const posted = entry({
      request: {
        ...entry().request,
        method: 'POST',
        postData: { mimeType: 'application/x-www-form-urlencoded', params: [{ name: 'a b', value: '1&2' }] },
      },
    });
    const read = importHar(
      har([posted], { pages: [{ startedDateTime: '2026-11-23T10:00:00.400Z', id: 'p', title: 'Start', pageTimings: {} }] }),
      store,
    );
    expect(Buffer.from(store.bytes.get(read.exchanges[0]?.requestBody?.hash ?? '') ?? []).toString()).toBe('a+b=1%262');
    expect(read.marks).toEqual([{ kind: 'begin', atMs: -100, text: 'Start' }]);
  });

  it('sends a body as what it is called beside it, where its header is missing', () => {
    const posted = entry({
      request: { ...entry().request, method: 'POST', headers: [], postData: { mimeType: 'application/json', text: '{"a":1}' } },
    });
    expect(importHar(har([posted]), shelf()).exchanges[0]?.requestHeaders).toEqual([['Content-Type', 'application/json']]);
  });

  it('takes what browsers leave out: no content, no timings, a request that never got an answer', () => {
    const bare = {
      startedDateTime: '2026-11-23T10:00:00Z',
      request: { method: 'GET', url: 'http://127.0.0.1:1/', headers: [] },
      response: { status: 0, headers: [] },
    };
    const read = importHar(har([bare]), shelf());
    expect(read.problems).toEqual([]);
    expect(read.exchanges[0]).toMatchObject({
      response: null,
      failure: 'The recording has no response for this request.',
      timings: { wait: -1 },
    });
  });

  it('takes nothing in that could not be read back: odd types are listed or count as missing, and the entries after them come in', () => {
    const entry = (more: object, response: object = {}) => ({
      startedDateTime: '2026-11-23T10:00:00.000Z',
      time: 5,
      request: { method: 'GET', url: 'http://127.0.0.1/', headers: [] },
      response: { status: 200, headers: [], content: { text: 'x' }, ...response },
      ...more,
    });
    const puts: string[] = [];
    const shelf = {
      put: (bytes: Uint8Array, mimeType: string): BodyRef => {
        puts.push(new TextDecoder().decode(bytes));
        return { hash: `h${puts.length}`, size: bytes.length, mimeType };
      },
    };
    const pages = [{ startedDateTime: '2026-11-23T10:00:00.000Z', title: 5 }, 7, null, { startedDateTime: {}, title: 'x' }];
    const entries = [
      entry({}, { status: 200.5 }),
      entry({}, { content: { text: '!!! no base64', encoding: 'base64' } }),
      entry({ time: Infinity }),
      entry({ timings: { wait: Infinity } }),
      entry({}),
    ];
    const read = importHar({ log: { version: '1.2', pages, entries } }, shelf);
    expect(read.problems.map((problem) => [problem.entry, problem.text.slice(0, 40)])).toEqual([
      [1, expect.stringContaining('response.status')],
      [2, 'a body is marked as base64, and is none'],
      [3, expect.stringContaining('time')],
      [4, expect.stringContaining('timings.wait')],
    ]);
    expect(read.exchanges.map((exchange) => [exchange.n, exchange.response?.body?.hash])).toEqual([[1, 'h1']]);
    expect(puts).toEqual(['x']);
    expect(read.marks).toEqual([{ kind: 'begin', atMs: 0, text: 'Page' }]);
    expect(importHar({ log: { version: '1.2', pages: 'none', entries } }, shelf).marks).toEqual([]);
  });

  it('lists entries that cannot be read with their number and reason, and refuses what is no HAR', () => {
    const read = importHar(
      har([entry(), { request: {} }, entry({ startedDateTime: 'noon' }), entry({ request: { ...entry().request, url: '//x' } })]),
      shelf(),
    );
    expect(read.exchanges).toHaveLength(1);
    expect(read.problems.map((problem) => problem.entry)).toEqual([2, 3, 4]);
    expect(() => importHar({ log: {} }, shelf())).toThrow(/This is not a HAR file: it has no log.entries/);
  });

  it('is written back as it came, to the letter', () => {
    const whole = har(
      [
        entry({ comment: 'kept', serverIPAddress: '127.0.0.1', connection: '3', pageref: 'p', _own: { a: 1 } }),
        entry({ response: { ...entry().response, content: { size: 3, mimeType: 'image/png', text: '/wD+', encoding: 'base64' } } }),
        entry({
          request: {
            ...entry().request,
            method: 'POST',
            postData: { mimeType: 'application/x-www-form-urlencoded', params: [{ name: 'a', value: '1' }] },
          },
        }),
        entry({ request: { ...entry().request, method: 'POST', postData: { mimeType: 'text/plain', text: 'plain ✓' } } }),
      ],
      { browser: { name: 'b', version: '2' }, comment: 'log', pages: [] },
    );
    const store = shelf();
    const read = importHar(structuredClone(whole), store);
    expect(
      exportHar({ startedAt: read.startedAt, marks: read.marks, harLog: read.harLog }, read.exchanges, (hash) => store.bytes.get(hash)),
    ).toEqual(whole);
  });

  it('is written from our own recording with every field that the format demands', () => {
    const loaded = new TakeBuilder()
      .add(
        ['POST', '/a?x=1', [...form, ['Cookie', 'sid=1; lang=en']], 'k=v'],
        [302, [...html, ['Set-Cookie', 'sid=2; Path=/'], ['Location', '/b']], '<p>x</p>'],
      )
      .load();
    const out = exportHar({ ...loaded.take, marks: [{ kind: 'begin', atMs: 0, text: 'Go' }] }, loaded.exchanges, (hash) =>
      Buffer.from(loaded.readBody(hash) ?? ''),
    );
    expect(out.log).toMatchObject({ version: '1.2', creator: { name: 'Sturdy Puppet' }, pages: [{ id: 'page_1', title: 'Go' }] });
    expect((out.log['entries'] as object[])[0]).toMatchObject({
      pageref: 'page_1',
      startedDateTime: '2026-11-23T10:00:00.100Z',
      time: 10,
      request: {
        method: 'POST',
        cookies: [
          { name: 'sid', value: '1' },
          { name: 'lang', value: 'en' },
        ],
        queryString: [{ name: 'x', value: '1' }],
        postData: { mimeType: 'application/x-www-form-urlencoded', text: 'k=v' },
        headersSize: -1,
        bodySize: 3,
      },
      response: {
        status: 302,
        redirectURL: '/b',
        cookies: [{ name: 'sid', value: '2' }],
        content: { size: 8, mimeType: 'text/html', text: '<p>x</p>' },
      },
      cache: {},
      timings: { send: 0, wait: 5, receive: 5 },
    });
    // What we write, we can read.
    expect(importHar(out, shelf()).problems).toEqual([]);
  });
});
