import { createHash } from 'node:crypto';
import fc from 'fast-check';
import type { RequestExchange } from '../../take/take.schema.js';
import { HarStream } from './har-stream.js';

const entry = (url: string, startedDateTime: string, more: object = {}) => ({
  startedDateTime,
  time: 5,
  request: {
    method: 'GET',
    url,
    httpVersion: 'h2',
    headers: [
      { name: ':method', value: 'GET' },
      { name: 'accept', value: '*/*' },
    ],
  },
  response: {
    status: 200,
    statusText: '',
    headers: [{ name: 'set-cookie', value: 'a=1; Path=/\nb=2' }],
    content: { mimeType: 'text/plain', text: 'ü' },
  },
  timings: { send: -1, wait: -3, receive: 2 },
  ...more,
});
const second = (at: number) => `2026-11-23T10:00:${String(at).padStart(2, '0')}.000Z`;

function read(text: string, pieceBytes = 7) {
  const exchanges: RequestExchange[] = [];
  const stream = new HarStream(
    { put: (bytes, mimeType) => ({ hash: createHash('sha256').update(bytes).digest('hex'), size: bytes.length, mimeType }) },
    (exchange) => {
      if (exchange.kind === 'request') exchanges.push(exchange);
    },
  );
  const bytes = Buffer.from(text);
  for (let at = 0; at < bytes.length; at += pieceBytes) stream.write(bytes.subarray(at, at + pieceBytes));
  return { exchanges, end: stream.end() };
}

describe('a HAR file read piece by piece', () => {
  const log = {
    version: '1.2',
    creator: { name: 'c', version: '1' },
    entries: [
      entry('http://127.0.0.1:1/b', second(2)),
      { broken: true },
      entry('http://127.0.0.1:1/a', second(1)),
      entry('data:text/plain,x', second(3)),
    ],
    pages: [{ startedDateTime: second(0), id: 'p', title: 'Page' }],
    comment: 'last',
  };

  it('gives entries as they come, problems by their place, fields in any order, and how to put the order right', () => {
    const { exchanges, end } = read(`\uFEFF${JSON.stringify({ log })}`);
    expect(exchanges.map((exchange) => [exchange.n, new URL(exchange.url).pathname, exchange.startedAtMs])).toEqual([
      [1, '/b', 0],
      [2, '/a', -1000],
    ]);
    expect(end).toMatchObject({
      startedAt: second(1),
      exchangeCount: 2,
      problems: [{ entry: 2 }, { entry: 4, text: 'request.url “data:text/plain,x” never left the browser' }],
      marks: [{ kind: 'begin', atMs: -1000, text: 'Page' }],
      harLog: { version: '1.2', comment: 'last' },
      renumber: {
        order: [
          { from: 2, to: 1 },
          { from: 1, to: 2 },
        ],
        shiftMs: 1000,
      },
    });
  });

  it('takes the quirks of browsers: pseudo-headers, merged cookies, negative times', () => {
    const [exchange] = read(JSON.stringify({ log })).exchanges;
    expect(exchange?.requestHeaders).toEqual([['accept', '*/*']]);
    expect(exchange?.response?.headers).toEqual([
      ['set-cookie', 'a=1; Path=/'],
      ['set-cookie', 'b=2'],
    ]);
    expect(exchange?.timings).toMatchObject({ send: -1, wait: -1, receive: 2 });
  });

  it('keeps messages of WebSockets and the reason why there was no answer', () => {
    const { exchanges } = read(
      JSON.stringify({
        log: {
          entries: [
            entry('ws://127.0.0.1:1/live', second(1), {
              _webSocketMessages: [
                { type: 'send', time: Date.parse(second(2)) / 1000, opcode: 1, data: 'hello' },
                { type: 'receive', time: Date.parse(second(3)) / 1000, opcode: 2, data: 'AQID' },
              ],
            }),
            entry('http://127.0.0.1:1/x', second(4), { response: { status: 0, headers: [], _error: 'net::ERR_ABORTED' } }),
          ],
        },
      }),
    );
    expect(exchanges[0]?.messages).toMatchObject([
      { from: 'client', kind: 'text', text: 'hello', atMs: 1000 },
      { from: 'server', kind: 'binary', base64: 'AQID', size: 3, atMs: 2000 },
    ]);
    expect(exchanges[1]?.failure).toBe('The browser got no answer: net::ERR_ABORTED.');
  });

  it('keeps what was complete of a file that ends in the middle, and says so', () => {
    const text = JSON.stringify({ log });
    const { exchanges, end } = read(text.slice(0, text.indexOf('127.0.0.1:1/a')));
    expect(exchanges.length).toBe(1);
    expect(end.problems.at(-1)?.text).toContain('the file ends in the middle after 2 entries');
  });

  it.each(['', 'no json', '{"a":1}', '[]', '<html>'])('refuses “%s” with what to do', (text) => {
    expect(() => read(text)).toThrow(/This is not a HAR file: .*Export it again/);
  });

  it('reads the same whatever the size of the pieces', () => {
    const text = JSON.stringify({ log });
    const whole = read(text, text.length);
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 400 }), (size) => {
        expect(read(text, size)).toEqual(whole);
      }),
      { numRuns: 25 },
    );
  });
});
