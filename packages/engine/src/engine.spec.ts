import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import {
  machineRepairman,
  Tally,
  totalsOf,
  type Environment,
  type Expectation,
  type Frame,
  type RequestStep,
  type Script,
  type Template,
} from '@sturdy/core';
import { startYard } from '@sturdy/standins';
import { compile, CompileError, Generator, HttpDriver, type FromGenerator, type Plan, type WireRequest } from './index.js';
import { RowSupply } from './generator/row-supply.js';

const text = (value: string): Template => [{ kind: 'text', text: value }];
const expectation: Expectation = { statuses: [200], content: null, redirect: null, title: null, rootElement: null };
const step = (id: string, origin: string, target: string, more: Partial<RequestStep> = {}): RequestStep => ({
  kind: 'request',
  id,
  name: `GET ${target}`,
  exchange: null,
  method: 'GET',
  origin,
  url: text(target),
  headers: [],
  body: null,
  bodyFile: null,
  expect: expectation,
  followRedirects: false,
  ...more,
});
const script = (steps: Script['transactions'][number]['steps'], more: Partial<Script> = {}): Script => ({
  id: 's',
  projectId: 'p',
  name: 'S',
  takeId: 't',
  secondTakeId: null,
  transactions: [{ kind: 'transaction', id: 't1', name: 'T', steps }],
  handoffs: [],
  made: [],
  unsure: [],
  ...more,
});
const environment = (origin: string): Environment => ({ id: 'e', projectId: 'p', name: 'E', targets: [origin], map: {} });

async function serve(handle: (request: IncomingMessage, response: ServerResponse) => void): Promise<{ origin: string; server: Server }> {
  const server = createServer(handle);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return { origin: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, server };
}

describe('HTTP driver', () => {
  const get = (origin: string, target: string, more: Partial<WireRequest> = {}): WireRequest => ({
    method: 'GET',
    origin,
    target,
    headers: [],
    body: null,
    followRedirects: false,
    wantsBody: () => true,
    ...more,
  });
  let origin = '';
  let server: Server;
  const seen: { url: string; method: string; cookie: string }[] = [];
  beforeAll(async () => {
    ({ origin, server } = await serve((request, response) => {
      seen.push({ url: request.url ?? '', method: request.method ?? '', cookie: request.headers.cookie ?? '' });
      if (request.url === '/set')
        response.setHeader('Set-Cookie', ['SID=31d4d96e407aad42; Path=/; HttpOnly', 'lang=en-US; Path=/admin', 'gone=1; Max-Age=0']);
      if (request.url === '/go') response.writeHead(302, { Location: './end?x=1', 'Set-Cookie': 'hop=1' });
      if (request.url === '/away') response.writeHead(302, { Location: 'http://127.0.0.2:1/' });
      if (request.url === '/zip') {
        response.setHeader('Content-Encoding', 'gzip');
        response.end(gzipSync('unpacked'));
      } else response.end('ok');
    }));
  });
  afterAll(() => server.close());
  const driver = () => new HttpDriver({ allows: (one) => one === origin });

  it('keeps cookies by path and lifetime (RFC 6265, 3.1 examples), each user its own', async () => {
    const user = driver();
    await user.send(get(origin, '/set'));
    await user.send(get(origin, '/'));
    expect(seen.at(-1)?.cookie).toBe('SID=31d4d96e407aad42');
    await user.send(get(origin, '/admin/x'));
    expect(seen.at(-1)?.cookie).toBe('lang=en-US; SID=31d4d96e407aad42');
    const other = driver();
    await other.send(get(origin, '/'));
    expect(seen.at(-1)?.cookie).toBe('');
    await user.reset();
    await user.send(get(origin, '/'));
    expect(seen.at(-1)?.cookie).toBe('');
    await Promise.all([user.close(), other.close()]);
  });

  it('follows a redirect as GET with the cookies set on the way (RFC 9110, 15.4.3), but never to a host that is not allowed', async () => {
    const user = driver();
    const followed = await user.send(get(origin, '/go', { method: 'POST', body: 'a=1', followRedirects: true }));
    expect(followed.status).toBe(200);
    expect(seen.at(-1)).toEqual({ url: '/end?x=1', method: 'GET', cookie: 'hop=1' });
    const refused = await user.send(get(origin, '/away', { followRedirects: true }));
    expect(refused).toMatchObject({ status: 0, failure: expect.stringContaining('http://127.0.0.2:1 is not an allowed target') as string });
    await user.close();
  });

  it('unpacks bodies, counts the bytes on the wire, and keeps the connection', async () => {
    const user = driver();
    const first = await user.send(get(origin, '/zip'));
    const second = await user.send(get(origin, '/zip'));
    expect(Buffer.from(second.body ?? []).toString()).toBe('unpacked');
    expect(second.bytesIn).toBe(gzipSync('unpacked').length);
    expect(first.timings.connect).toBeGreaterThanOrEqual(0);
    expect(second.timings.connect).toBe(-1);
    await user.close();
  });

  it('says in a sentence what a broken server did: refused, reset, garbage, cut, too slow', async () => {
    const yard = await startYard({ port: 0 });
    const user = new HttpDriver({ allows: () => true, answerLimitMs: 300 });
    const failure = async (target: string, at = yard.origin) => (await user.send(get(at, target))).failure;
    expect(await failure('/trouble/reset')).toMatch(/reset the connection|closed the connection/);
    expect(await failure('/trouble/garbage')).toContain('answered with something that is not HTTP');
    expect(await failure('/trouble/cut')).toContain('closed the connection before its answer was complete');
    expect(await failure('/trouble/slow?ms=900')).toContain('no complete answer within 300 ms');
    expect(await failure('/', 'http://127.0.0.1:1')).toContain('refused the connection');
    await user.close();
    await yard.stop();
  });
});

describe('compiling', () => {
  it('refuses a target that the environment does not allow, and says how to allow it', () => {
    const wanted = script([step('s1', 'http://10.0.0.7', '/')]);
    expect(() => compile(wanted, environment('http://127.0.0.1:1'))).toThrow(CompileError);
    expect(() => compile(wanted, environment('http://127.0.0.1:1'))).toThrow(
      /http:\/\/10\.0\.0\.7 is not a target of the environment “E”. Add it/,
    );
    expect(() => compile(wanted, environment('http://10.0.0.7'))).toThrow(/loopback addresses only/);
  });

  it('maps a recorded origin to the real one, in Referer and Origin too', () => {
    const program = compile(script([step('s1', 'http://old', '/', { headers: [{ name: 'Referer', value: text('http://old/x') }] })]), {
      ...environment('http://127.0.0.1:9'),
      map: { 'http://old': 'http://127.0.0.1:9' },
    });
    const [operation] = program.transactions[0]?.operations ?? [];
    if (operation?.kind !== 'request') throw new Error('no request');
    const scope = { handoffs: new Map(), rows: new Map(), made: new Map(), random: () => 0, nowMs: () => 0 };
    expect([operation.origin, operation.headers[0]?.value(scope)]).toEqual(['http://127.0.0.1:9', 'http://127.0.0.1:9/x']);
  });
});

describe('row supply', () => {
  it('hands every leased row out once and knows the unused ones', async () => {
    const asked: number[] = [];
    const supply = new RowSupply(4, (count) => asked.push(count));
    const waiting = [supply.deal(), supply.deal()];
    supply.arrive([1, 2, 3, 4].map((row) => ({ row, values: [] })));
    expect((await Promise.all(waiting)).map((one) => one?.row)).toEqual([1, 2]);
    expect((await supply.deal())?.row).toBe(3);
    expect(supply.unused()).toEqual([4]);
    const last = supply.deal();
    supply.arrive([]);
    expect(await last).toBeNull();
    expect(asked).toEqual([4, 4]);
  });
});

/** Runs a plan in this thread and resolves with its frames. */
function play(plan: Omit<Plan, 'version' | 'runId' | 'generator' | 'tables' | 'files' | 'seed'>): Promise<Frame[]> {
  return new Promise((done) => {
    const frames: Frame[] = [];
    const generator = new Generator((message: FromGenerator) => {
      if (message.kind === 'ready') generator.receive({ kind: 'start' });
      else if (message.kind === 'frame') frames.push(message.frame);
      else if (message.kind === 'ended') done(frames);
    });
    generator.receive({ kind: 'plan', plan: { version: 1, runId: 'r', generator: 0, tables: [], files: {}, seed: '1', ...plan } });
  });
}

const crew = (users: number, pacingSeconds = 0) => ({
  crew: {
    id: 'c',
    name: 'C',
    scriptId: 's',
    users,
    think: { kind: 'recorded' as const, factor: 1, ms: 0, capMs: 60_000 },
    pacing: { kind: pacingSeconds > 0 ? ('start-to-start' as const) : ('none' as const), seconds: pacingSeconds },
    onFailure: 'next-iteration' as const,
  },
  users: Array.from({ length: users }, (_, place) => ({ place, user: place + 1 })),
});

describe('generator', () => {
  it('starts iterations from start to start as its pacing says, and counts each once', async () => {
    const { origin, server } = await serve((_request, response) => response.end('ok'));
    const frames = await play({
      scripts: [script([step('s1', origin, '/')])],
      crews: [crew(4, 0.5)],
      curve: { rampUpSeconds: 0, holdSeconds: 3, rampDownSeconds: 0, atEnd: 'iteration' },
      environment: environment(origin),
    });
    expect(frames.reduce((sum, one) => sum + one.iterationsPassed, 0)).toBe(4 * 6);
    expect(totalsOf(frames, null).transactions.get('T')?.count).toBe(24);
    server.close();
  });

  it('tells a failed answer in spite of its status 200, and captures one example of its kind', async () => {
    const { origin, server } = await serve((_request, response) =>
      response.setHeader('Content-Type', 'text/html').end('<title>Your visit has ended</title>'),
    );
    const frames = await play({
      scripts: [script([step('s1', origin, '/', { expect: { ...expectation, title: 'Desk' } })])],
      crews: [crew(2, 0.5)],
      curve: { rampUpSeconds: 0, holdSeconds: 1, rampDownSeconds: 0, atEnd: 'iteration' },
      environment: environment(origin),
    });
    const failures = frames.flatMap((one) => one.failures);
    expect(failures.reduce((sum, one) => sum + one.count, 0)).toBe(4);
    expect(failures.filter((one) => one.example !== null)).toHaveLength(1);
    expect(failures[0]).toMatchObject({
      message: 'The page says “Your visit has ended” where the take had “Desk”.',
      example: { responseText: '<title>Your visit has ended</title>' },
    });
    server.close();
  });
});

describe('engine against theory', () => {
  const workers = 2;
  const serviceSeconds = 0.04;
  const thinkSeconds = 0.3;
  // Closed model M/M/c//N (Kleinrock, Queueing Systems I, 1975, 3.8); the think time may have any distribution.
  it.each([4, 12, 24])('shows throughput and response time of the closed model within 10 % with %i users', async (users) => {
    const yard = await startYard({
      port: 0,
      workers,
      serviceMeanMs: serviceSeconds * 1000,
      serviceDistribution: 'exponential',
      seed: users,
    });
    const frames = await play({
      scripts: [script([step('s1', yard.origin, '/'), { kind: 'pause', id: 'p1', ms: thinkSeconds * 1000 }])],
      crews: [crew(users)],
      curve: { rampUpSeconds: 1, holdSeconds: 26, rampDownSeconds: 0, atEnd: 'iteration' },
      environment: environment(yard.origin),
    });
    await yard.stop();
    const period = { fromSecond: 3, toSecond: 27 };
    const measured = (totalsOf(frames, period).transactions.get('T') ?? new Tally()).summary(period.toSecond - period.fromSecond);
    const told = machineRepairman(users, workers, serviceSeconds, thinkSeconds);
    process.stdout.write(
      `${users} users: throughput ${measured.throughput.toFixed(2)} a second (model ${told.throughput.toFixed(2)}), response ${measured.meanMs.toFixed(1)} ms (model ${(told.responseSeconds * 1000).toFixed(1)})\n`,
    );
    expect(Math.abs(measured.throughput / told.throughput - 1)).toBeLessThan(0.1);
    expect(Math.abs(measured.meanMs / (told.responseSeconds * 1000) - 1)).toBeLessThan(0.1);
  });
});
