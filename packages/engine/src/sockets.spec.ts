import { createHash } from 'node:crypto';
import { createServer as createHttpServer } from 'node:http';
import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import type { Awaited, Checked, MessageStep, RequestStep, Step } from '@sturdy/core';
import { WebSocketServer, type WebSocket } from 'ws';
import { compile, HttpDriver, textsOf, VirtualUser, type HttpUserDriver, type WireRequest } from './index.js';
import { elsewhere, environment, expectation, play, crew, script, step, text } from './test/plans.js';
import { notAllowed } from './contract/rules.js';

const closing: (() => void)[] = [];
afterAll(() => {
  for (const close of closing) close();
});
const portOf = (server: Server): number => (server.address() as AddressInfo).port;
const listening = (server: Server) => new Promise<void>((done) => server.listen(0, '127.0.0.1', done));

/** A target whose WebSocket at `/line` does what `serve` says; at any other path the handshake is refused. */
async function target(serve: (line: WebSocket) => void): Promise<string> {
  const server = createHttpServer();
  const lines = new WebSocketServer({ noServer: true });
  server.on('upgrade', (request, socket, head) => {
    if (request.url === '/line') lines.handleUpgrade(request, socket, head, serve);
    else socket.end('HTTP/1.1 403 Forbidden\r\nContent-Length: 8\r\nConnection: close\r\n\r\nnot here');
  });
  await listening(server);
  closing.push(() => {
    for (const client of lines.clients) client.terminate();
    server.close();
  });
  return `http://127.0.0.1:${portOf(server)}`;
}

const asText = (kind: string): Checked => ({
  kind: 'value',
  extractor: { kind: 'jsonpath', path: '$.type', pick: 'first' },
  is: 'equals',
  than: text(kind),
});
const waits = (more: Partial<Awaited> = {}): Awaited => ({ same: [], holds: [], atMostMs: 300, ...more });
const open = (origin: string): RequestStep =>
  step('open', origin, '', { url: text('/line'), expect: { ...expectation, statuses: [101] }, opensSocket: 'line' });
const send = (id: string, message: string, awaits: Awaited | null = waits()): MessageStep => ({
  kind: 'message',
  id,
  name: `SEND ${id}`,
  exchange: null,
  socket: 'line',
  action: 'send',
  format: 'text',
  body: text(message),
  bodyFile: null,
  awaits,
  expect: { content: null },
});
const awaitOne = (id: string, awaits: Awaited): MessageStep => ({
  ...send(id, '', awaits),
  name: `AWAIT ${id}`,
  action: 'await',
  body: null,
});

/** The request that opens a WebSocket at an origin. */
const opens = (origin: string): WireRequest => ({
  method: 'GET',
  origin,
  target: '/line',
  headers: [],
  body: null,
  followRedirects: false,
  keepsBody: 'always',
  opensSocket: 'line',
});

/** Plays steps once, and says of each how it ended and what answered it. */
async function played(steps: Step[], origin: string, more: Parameters<typeof script>[1] = {}) {
  const found: { step: string; failure: string | null; answer: string; ms: number }[] = [];
  const driver = new HttpDriver({ refuses: (target) => (target === origin ? null : notAllowed(target)) });
  const user = new VirtualUser(
    compile(script(steps, more), environment(origin)),
    { http: elsewhere(driver) },
    () => 0.5,
    {
      step: (done) =>
        found.push({
          step: done.step,
          failure: done.failure?.text ?? null,
          answer: Buffer.from(textsOf(done).answer ?? '').toString(),
          ms: done.outcome.durationMs,
        }),
      transaction: () => undefined,
    },
    { stopsNow: () => false, pause: () => Promise.resolve() },
    true,
  );
  await user.iterate(new Map(), 'go-on');
  await driver.close();
  return found;
}

describe('messages over a WebSocket', () => {
  it('are sent, and the answer is the one that fits, whatever comes between; what is read of it is sent on', async () => {
    const got: string[] = [];
    const origin = await target((line) => {
      line.send('{"type":"hello","cursor":"c-77"}');
      line.on('message', (data: Buffer) => {
        const { id, cursor } = JSON.parse(data.toString()) as { id: number; cursor: string };
        got.push(cursor);
        line.send('{"type":"news"}');
        line.send(JSON.stringify({ type: 'done', id: id + 1 }));
        setTimeout(() => {
          line.send(JSON.stringify({ type: 'done', id }));
        }, 30);
      });
    });
    const cursor = { kind: 'handoff' as const, handoff: 'h', recorded: 'c-1' };
    const requestStep = send('ask', '', waits({ same: ['/id'] }));
    const found = await played(
      [
        open(origin),
        awaitOne('hello', waits({ holds: [asText('hello')] })),
        { ...requestStep, body: [...text('{"id":7,"cursor":"'), cursor, ...text('"}')] },
        // It came while the answer was waited for, and is still there.
        awaitOne('news', waits({ holds: [asText('news')] })),
      ],
      origin,
      {
        handoffs: [
          {
            id: 'h',
            name: 'cursor',
            origin: 'hello',
            extractor: { kind: 'jsonpath', path: '$.cursor', pick: 'first' },
            evidence: 'proven',
            reason: '',
            recorded: 'c-1',
          },
        ],
      },
    );
    expect(found.map((playedStep) => [playedStep.step, playedStep.failure, playedStep.answer])).toEqual([
      ['open', null, ''],
      ['hello', null, '{"type":"hello","cursor":"c-77"}'],
      ['ask', null, '{"type":"done","id":7}'],
      ['news', null, '{"type":"news"}'],
    ]);
    expect(got).toEqual(['c-77']);
    expect(found[2]?.ms).toBeGreaterThan(25);
  });

  it('that do not come are told with what came instead, and when', async () => {
    const origin = await target((line) => line.on('message', () => line.send('{"type":"error","text":"the ticket is spent"}')));
    const found = await played([open(origin), send('ask', '{}', waits({ holds: [asText('done')] }))], origin);
    expect(found[1]?.failure).toMatch(
      /The awaited message did not come over the WebSocket “line” of http:\/\/127\.0\.0\.1:\d+\/line within \d{3,4} ms\. Another one came: “\{"type":"error","text":"the ticket is spent"\}”\./,
    );
    // It names the time that it waited, which is the limit and what a busy machine adds.
    const waited = Number(/within (\d+) ms/.exec(found[1]?.failure ?? '')?.[1]);
    expect(waited).toBeGreaterThanOrEqual(299);
    expect(Math.abs(waited - (found[1]?.ms ?? 0))).toBeLessThan(2);
  });

  it('wait no longer than the WebSocket lasts, and go over one that is open only', async () => {
    const origin = await target((line) => line.on('message', () => line.close(1008, 'unknown client')));
    const found = await played([open(origin), send('ask', '{}', waits({ atMostMs: 60_000 })), send('again', '{}', null)], origin);
    expect(found[1]?.failure).toMatch(
      /\/line closed the WebSocket \(1008 unknown client\) before the awaited message came\. No message came/,
    );
    expect(found[2]?.failure).toMatch(/The WebSocket “line” is not open\. .*closed the WebSocket \(1008 unknown client\)\./);
    const tooEarly = await played([send('ask', '{}', null), open(origin)], origin);
    expect(tooEarly[0]?.failure).toMatch(/not open\. The step that opens it failed, or does not stand before this one\./);
    expect(() => compile(script([send('ask', '{}', null)]), environment(origin))).toThrow(
      'Step “SEND ask” of “S” goes over the WebSocket “line”, which no request of the script opens. Add the request that opens it, or delete the step.',
    );
  });

  it('whose condition cannot be asked say so at once', async () => {
    const origin = await target((line) => line.on('message', () => line.send('{"type":"done"}')));
    const broken: Checked = { ...asText('('), is: 'matches' } as Checked;
    const found = await played([open(origin), send('ask', '{}', waits({ holds: [broken], atMostMs: 60_000 }))], origin);
    expect(found[1]?.failure).toMatch(/^It cannot be said which message is awaited: .*missing closing/);
  });

  it('have no WebSocket where it cannot be tried, and none is left open where the user goes while one is being opened', async () => {
    const origin = await target(() => undefined);
    const strange = { ...open(origin), headers: [{ name: 'Sec-WebSocket-Protocol', value: text('not a name') }] };
    expect((await played([strange], origin))[0]?.failure).toMatch(/subprotocol/);
    let sockets = 0;
    const slow = createServer((socket) => {
      sockets++;
      socket.on('error', () => undefined);
      // What is not read would keep its end from being seen.
      socket.resume();
      socket.on('close', () => sockets--);
    });
    await listening(slow);
    closing.push(() => slow.close());
    const driver = new HttpDriver({ refuses: () => null });
    const opening = driver.send(opens(`http://127.0.0.1:${portOf(slow)}`));
    for (let n = 0; n < 400 && sockets === 0; n++) await new Promise((done) => setTimeout(done, 5));
    await driver.close();
    expect((await opening).failure?.text).toMatch(/closed before the connection was established/);
    for (let n = 0; n < 400 && sockets > 0; n++) await new Promise((done) => setTimeout(done, 5));
    expect(sockets).toBe(0);
  });

  it('have no WebSocket where the handshake is refused, and none to a host that the environment does not allow', async () => {
    const origin = await target(() => undefined);
    const found = await played([{ ...open(origin), url: text('/elsewhere') }, send('ask', '{}', null)], origin);
    expect(found[0]).toMatchObject({ failure: expect.stringMatching(/answered 403 instead of 101/) as string, answer: 'not here' });
    expect(found[1]?.failure).toMatch(/not open/);
    let reached = 0;
    const foreign = await target(() => reached++);
    const driver: HttpUserDriver = new HttpDriver({ refuses: (target) => (target === origin ? null : notAllowed(target)) });
    expect((await driver.send(opens(foreign))).failure?.text).toMatch(/is not an allowed target, so nothing was sent/);
    expect(reached).toBe(0);
  });

  it('are counted as requests of a run, and each user has a WebSocket of its own that ends with it', async () => {
    let opened = 0;
    let ended = 0;
    const origin = await target((line) => {
      opened++;
      line.on('close', () => ended++);
      line.on('message', (data: Buffer) => {
        line.send(data.toString());
      });
    });
    const frames = await play({
      scripts: [script([open(origin), send('ask', '{"id":1}', waits({ same: ['/id'] }))])],
      crews: [crew(5, 0.2)],
      curve: { kind: 'ramp', together: 5, rampUpSeconds: 0, holdSeconds: 1.5, rampDownSeconds: 0, atEnd: 'iteration' },
      environment: environment(origin),
    });
    const sum = (id: string) =>
      frames.flatMap((frame) => frame.items).reduce((all, item) => all + (item.step === id ? item.tally.count : 0), 0);
    expect(sum('ask')).toBe(opened);
    // Each of five users begins every 0.2 s within 1.5 s.
    expect(opened).toBeGreaterThanOrEqual(5 * 7);
    expect(opened).toBeLessThanOrEqual(5 * 8);
    expect(frames.flatMap((frame) => frame.failures)).toEqual([]);
    await new Promise((done) => setTimeout(done, 100));
    expect(ended).toBe(opened);
  });
});

describe('the WebSocket protocol (RFC 6455)', () => {
  /** The bytes of the examples in section 5.7. */
  const hex = (bytes: string) => Buffer.from(bytes.replace(/\s/g, ''), 'hex');
  const hello = hex('81 05 48 65 6c 6c 6f');
  const fragments = [hex('01 03 48 65 6c'), hex('80 02 6c 6f')];
  const ping = hex('89 05 48 65 6c 6c 6f');

  it('reads the frames of section 5.7, answers the ping of it, and sends masked frames', async () => {
    const received: Buffer[] = [];
    const server = createServer((socket: Socket) => {
      closing.push(() => socket.destroy());
      let head = '';
      socket.on('error', () => undefined);
      socket.on('data', (bytes: Buffer) => {
        if (head.endsWith('\r\n\r\n')) {
          received.push(bytes);
          return;
        }
        head += bytes.toString('latin1');
        const key = /sec-websocket-key: (\S+)/i.exec(head)?.[1] ?? '';
        // Section 1.3: the key with this GUID, hashed.
        const accept = createHash('sha1').update(`${key}258EAFA5-E914-47DA-95CA-C5AB0DC85B11`).digest('base64');
        socket.write(
          `HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Accept: ${accept}\r\n\r\n`,
        );
        socket.write(Buffer.concat([hello, ...fragments.slice(0, 1)]));
        // A control frame may stand between the fragments of a message.
        setTimeout(() => socket.write(Buffer.concat([ping, ...fragments.slice(1)])), 20);
      });
    });
    await listening(server);
    closing.push(() => server.close());
    const origin = `http://127.0.0.1:${portOf(server)}`;
    const found = await played([open(origin), awaitOne('whole', waits()), awaitOne('pieces', waits()), send('say', 'Hello', null)], origin);
    expect(found.map((playedStep) => playedStep.answer)).toEqual(['', 'Hello', 'Hello', '']);
    await new Promise((done) => setTimeout(done, 100));
    const bytes = Buffer.concat(received);
    expect([bytes[0], bytes[1]]).toEqual([0x8a, 0x85]);
    const unmasked = (frame: Buffer) => Buffer.from(frame.subarray(6).map((byte, at) => byte ^ (frame[2 + (at % 4)] ?? 0)));
    expect(unmasked(bytes.subarray(0, 11)).toString()).toBe('Hello');
    expect([bytes[11], bytes[12]]).toEqual([0x81, 0x85]);
    expect(unmasked(bytes.subarray(11, 22)).toString()).toBe('Hello');
  });
});
