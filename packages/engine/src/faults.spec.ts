import { createServer, type Server, type Socket } from 'node:net';
import type { AddressInfo } from 'node:net';
import { totalsOf, type Frame } from '@sturdy/core';
import { crew, environment, play, script, step } from './test/plans.js';

/** Targets that misbehave, each on a port of its own: what they do once a request came. */
const misbehaviour: Record<string, (socket: Socket) => void> = {
  'resets the connection': (socket) => socket.resetAndDestroy(),
  'closes within its header': (socket) => socket.end('HTTP/1.1 200 OK\r\nContent-Ty'),
  'promises more bytes than it sends': (socket) => socket.end('HTTP/1.1 200 OK\r\nContent-Length: 100\r\n\r\nshort'),
  'sends more bytes than it promised': (socket) => socket.end('HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nmuch more than that'),
  'answers what is not HTTP': (socket) => socket.end('220 mail.example ESMTP\r\n'),
  'never answers': () => undefined,
  'answers byte by byte, for ever': (socket) => {
    socket.write('HTTP/1.1 200 OK\r\nContent-Length: 1000000\r\n\r\n');
    const drip = setInterval(() => socket.write('x'), 50);
    socket.on('close', () => {
      clearInterval(drip);
    });
  },
};
const code: Record<string, RegExp> = {
  'resets the connection': /^connection-(reset|closed)$/,
  'closes within its header': /^connection-closed$|^not-http$/,
  'promises more bytes than it sends': /^connection-closed$|^length-mismatch$/,
  'sends more bytes than it promised': /^not-http$|^length-mismatch$|^connection-closed$/,
  'answers what is not HTTP': /^not-http$/,
  'never answers': /^first-byte-timed-out$/,
  'answers byte by byte, for ever': /^answer-timed-out$/,
};
const sentences: Record<string, RegExp> = {
  'resets the connection': /reset the connection|closed the connection/,
  'closes within its header': /closed the connection before its answer was complete|not HTTP/,
  'promises more bytes than it sends': /closed the connection before its answer was complete|Content-Length/,
  'sends more bytes than it promised': /not HTTP|Content-Length|before its answer/,
  'answers what is not HTTP': /not HTTP/,
  'never answers': /no first byte of an answer within 300 ms/,
  'answers byte by byte, for ever': /no complete answer within 800 ms/,
};

const servers: Server[] = [];
async function serve(answer: (socket: Socket) => void): Promise<string> {
  const server = createServer((socket) => {
    socket.on('error', () => undefined);
    socket.on('data', () => {
      answer(socket);
    });
  });
  servers.push(server);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}
afterAll(() => {
  for (const server of servers) server.close();
});

/** How long a user waits, in milliseconds: short only where the wait itself is what the target provokes, so that a busy machine tells no other fault. */
const patient = { connectMs: 10_000, firstByteMs: 10_000, answerMs: 10_000 };
const patience: Record<string, typeof patient> = {
  'never answers': { ...patient, firstByteMs: 300 },
  'answers byte by byte, for ever': { ...patient, answerMs: 800 },
};

/** Three users hit an origin for two seconds. */
function hit(origin: string, timeouts = patient): Promise<Frame[]> {
  const planned = crew(3, 0.2);
  return play({
    scripts: [script([step('s1', origin, '/')])],
    crews: [{ ...planned, crew: { ...planned.crew, timeouts } }],
    curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 2, rampDownSeconds: 0, atEnd: 'iteration' },
    environment: environment(origin),
  });
}

/** Everything that was counted once is counted everywhere as often. */
function counted(frames: Frame[]): { requests: number; errors: number; messages: string[]; codes: string[] } {
  const totals = totalsOf(frames, null);
  const failures = frames.flatMap((frame) => frame.failures);
  const errors = failures.reduce((sum, failure) => sum + failure.count, 0);
  const step = totals.steps.get('T\u0000s1');
  expect(step?.errors).toBe(errors);
  expect(totals.transactions.get('T')?.count).toBe(step?.count);
  expect(frames.reduce((sum, frame) => sum + frame.iterationsPassed + frame.iterationsFailed, 0)).toBe(step?.count);
  return {
    requests: step?.count ?? 0,
    errors,
    messages: failures.map((failure) => failure.message),
    codes: failures.map((failure) => failure.code),
  };
}

describe('a target that misbehaves', () => {
  // All of them at the same time: they wait more than they do.
  const played = new Map<string, Promise<Frame[]>>();
  beforeAll(() => {
    for (const [name, answer] of Object.entries(misbehaviour))
      played.set(
        name,
        serve(answer).then((origin) => hit(origin, patience[name])),
      );
  });

  it.each(Object.keys(misbehaviour))('%s: the run goes on and ends, and each request is counted once, as failed', async (name) => {
    const { requests, errors, messages, codes } = counted((await played.get(name)) ?? []);
    expect(requests).toBeGreaterThanOrEqual(3);
    // One server may have put its whole answer on the way before the surplus shows; a promise that is kept is no failure.
    if (name === 'sends more bytes than it promised') expect(errors).toBeLessThanOrEqual(requests);
    else expect(errors).toBe(requests);
    for (const message of messages) expect(message).toMatch(sentences[name] ?? /./);
    for (const failureCode of codes) expect(failureCode).toMatch(code[name] ?? /./);
  });

  it('refuses connections: the run goes on, and says where nobody listens', async () => {
    const origin = await serve(() => undefined);
    await new Promise((done) => servers.pop()?.close(done));
    const { requests, errors, messages, codes } = counted(await hit(origin));
    expect(new Set(codes)).toEqual(new Set(['connection-refused']));
    expect(errors).toBe(requests);
    expect(messages[0]).toContain(`${origin} refused the connection`);
  });

  it('sends a gigabyte that nobody reads: all of it is counted, none of it is kept', async () => {
    const piece = Buffer.alloc(1 << 20);
    const origin = await serve((socket) => {
      socket.write('HTTP/1.1 200 OK\r\nContent-Type: application/octet-stream\r\nContent-Length: 1073741824\r\n\r\n');
      let left = 1024;
      const more = () => {
        while (left-- > 0) if (!socket.write(piece)) return;
      };
      socket.on('drain', more);
      more();
    });
    const planned = crew(1);
    const before = process.memoryUsage().arrayBuffers;
    let most = 0;
    const watch = setInterval(() => (most = Math.max(most, process.memoryUsage().arrayBuffers - before)), 20);
    const frames = await play({
      scripts: [script([step('s1', origin, '/')])],
      crews: [{ ...planned, crew: { ...planned.crew, iterations: 1 } }],
      curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 60, rampDownSeconds: 0, atEnd: 'iteration' },
      environment: environment(origin),
    });
    clearInterval(watch);
    expect(totalsOf(frames, null).steps.get('T\u0000s1')).toMatchObject({ count: 1, errors: 0, bytesIn: 1 << 30 });
    // What is on its way between the two ends in this one process, and no more.
    expect(most).toBeLessThan(200 << 20);
  });
});
