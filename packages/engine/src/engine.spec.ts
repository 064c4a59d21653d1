import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import { totalsOf } from '@sturdy/core';
import { startYard } from '@sturdy/standins';
import { compile, CompileError, HttpDriver, type WireRequest } from './index.js';
import { RowSupply } from './generator/row-supply.js';
import { crew, environment, expectation, play, script, step, text } from './test/plans.js';

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
    const scope = { handoffs: new Map(), rows: new Map(), made: new Map(), variables: new Map(), random: () => 0, nowMs: () => 0 };
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
