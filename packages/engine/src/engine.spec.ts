import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import { totalsOf, type Header } from '@sturdy/core';
import { startYard } from '@sturdy/standins';
import { compile, CompileError, HttpDriver, optionsFor, TargetTls, type ToGenerator, type WireRequest } from './index.js';
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
    keepsBody: 'always',
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
  const driver = () => new HttpDriver({ allows: (target) => target === origin });

  it('keeps cookies by path and lifetime (RFC 6265, 3.1 examples), each user its own', async () => {
    const user = driver();
    await user.send(get(origin, '/set'));
    await user.send(get(origin, '/'));
    expect(seen.at(-1)?.cookie).toBe('SID=31d4d96e407aad42');
    await user.send(get(origin, '/admin/x'));
    expect(seen.at(-1)?.cookie).toBe('lang=en-US; SID=31d4d96e407aad42');
    const httpDriver = driver();
    await httpDriver.send(get(origin, '/'));
    expect(seen.at(-1)?.cookie).toBe('');
    await user.reset();
    await user.send(get(origin, '/'));
    expect(seen.at(-1)?.cookie).toBe('');
    await Promise.all([user.close(), httpDriver.close()]);
  });

  it('follows a redirect as GET with the cookies set on the way (RFC 9110, 15.4.3), but never to a host that is not allowed', async () => {
    const user = driver();
    const followed = await user.send(get(origin, '/go', { method: 'POST', body: 'a=1', followRedirects: true }));
    expect(followed.status).toBe(200);
    expect(seen.at(-1)).toEqual({ url: '/end?x=1', method: 'GET', cookie: 'hop=1' });
    const refused = await user.send(get(origin, '/away', { followRedirects: true }));
    expect(refused).toMatchObject({
      status: 0,
      failure: { code: 'target-not-allowed', text: expect.stringContaining('http://127.0.0.2:1 is not an allowed target') as string },
    });
    await user.close();
  });

  it('takes what signs in at one origin to no other, where a redirect leads there (Fetch standard, HTTP-redirect fetch)', async () => {
    const got: (string | undefined)[] = [];
    const elsewhere = await serve((request, response) => {
      got.push(request.headers.authorization, request.headers.cookie);
      response.end('there');
    });
    const first = await serve((request, response) => {
      got.push(request.headers.authorization);
      response.writeHead(307, { Location: request.url === '/in' ? '/out' : `${elsewhere.origin}/` }).end();
    });
    const user = new HttpDriver({ allows: () => true });
    const headers: Header[] = [
      ['Authorization', 'Bearer mF_9.B5f-4.1JqM'],
      ['Cookie', 'theme=dark'],
    ];
    const answer = await user.send(get(first.origin, '/in', { headers, followRedirects: true }));
    expect([answer.status, Buffer.from(answer.body ?? []).toString()]).toEqual([200, 'there']);
    expect(got).toEqual(['Bearer mF_9.B5f-4.1JqM', 'Bearer mF_9.B5f-4.1JqM', undefined, undefined]);
    await user.close();
    first.server.close();
    elsewhere.server.close();
  });

  it('hits nothing outside this machine, even where a redirect leads to a target of the environment', async () => {
    const options = optionsFor(environment('http://192.0.2.1'), new TargetTls(environment('http://192.0.2.1')));
    const user = new HttpDriver(options);
    expect((await user.send(get('http://192.0.2.1', '/'))).failure?.text).toMatch(/nothing was sent/);
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
    const failure = async (target: string, at = yard.origin) => (await user.send(get(at, target))).failure?.text;
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
    if (operation?.kind !== 'action') throw new Error('no request');
    const scope = {
      handoffs: new Map(),
      rows: new Map(),
      made: new Map(),
      variables: new Map(),
      random: () => 0,
      fresh: () => 0,
      nowMs: () => 0,
    };
    if (operation.action.kind !== 'http') throw new Error('It is not compiled as a request.');
    expect([operation.action.origin, operation.action.headers[0]?.value(scope)]).toEqual(['http://127.0.0.1:9', 'http://127.0.0.1:9/x']);
  });
});

describe('row supply', () => {
  it('hands every leased row out once and knows the unused ones', async () => {
    const asked: number[] = [];
    const supply = new RowSupply(4, (count) => asked.push(count));
    const waiting = [supply.deal(), supply.deal()];
    supply.arrive(
      [1, 2, 3, 4].map((row) => ({ row, values: [] })),
      'perhaps',
    );
    expect((await Promise.all(waiting)).map((row) => row?.row)).toEqual([1, 2]);
    expect((await supply.deal())?.row).toBe(3);
    expect(supply.unused()).toEqual([4]);
    expect(supply.unused()).toEqual([]);
    const last = supply.deal();
    supply.arrive([], 'none-left');
    expect(await last).toBeNull();
    expect(asked).toEqual([4, 4]);
  });
});

describe('a row supply that gets none now', () => {
  it('asks again, and deals what it gets then', async () => {
    const asked: number[] = [];
    const supply = new RowSupply(2, (count) => asked.push(count));
    const waiting = supply.deal();
    supply.arrive([], 'not-now');
    while (asked.length < 2) await new Promise((done) => setTimeout(done, 20));
    supply.arrive([{ row: 7, values: [] }], 'perhaps');
    expect((await waiting)?.row).toBe(7);
  });

  it('lets whoever waits go without once the run ends', async () => {
    const supply = new RowSupply(2, () => undefined);
    const waiting = supply.deal();
    supply.arrive([], 'not-now');
    supply.waitNoLonger();
    expect(await waiting).toBeNull();
    const late = new RowSupply(2, () => undefined);
    const waitingStill = late.deal();
    late.waitNoLonger();
    late.arrive([], 'not-now');
    expect(await waitingStill).toBeNull();
  });
});

describe('the end of a row supply', () => {
  it('waits for rows that are on their way, so that they can be given back, and not for ever', async () => {
    const supply = new RowSupply(2, () => undefined);
    const dealt = supply.deal();
    supply.arrive(
      [1, 2].map((row) => ({ row, values: [] })),
      'perhaps',
    );
    expect((await dealt)?.row).toBe(1);
    expect((await supply.deal())?.row).toBe(2);
    const settled = supply.settled(10_000);
    supply.arrive(
      [3, 4].map((row) => ({ row, values: [] })),
      'perhaps',
    );
    await settled;
    expect(supply.unused()).toEqual([3, 4]);
    const never = new RowSupply(2, () => undefined);
    void never.deal();
    const started = performance.now();
    await never.settled(50);
    expect(performance.now() - started).toBeGreaterThan(40);
  });
});

describe('generator', () => {
  it('starts iterations from start to start as its pacing says, and counts each once', async () => {
    const { origin, server } = await serve((_request, response) => response.end('ok'));
    const frames = await play({
      scripts: [script([step('s1', origin, '/')])],
      crews: [crew(4, 0.5)],
      curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 3, rampDownSeconds: 0, atEnd: 'iteration' },
      environment: environment(origin),
    });
    expect(frames.reduce((sum, frame) => sum + frame.iterationsPassed, 0)).toBe(4 * 6);
    expect(frames[1]?.own?.heapMb).toBeGreaterThan(1);
    expect(totalsOf(frames, null).transactions.get('T')?.count).toBe(24);
    server.close();
  });

  it('repeats a run by its seed, but for the ids that the client invents: the system remembers those of earlier runs', async () => {
    const seen: string[] = [];
    const { origin, server } = await serve((request, response) => {
      seen.push(request.url ?? '');
      response.end('ok');
    });
    const made = { id: 'm', name: 'order', made: 'guid' as const, recorded: '5f0c2f6e-8d0b-4b7e-9a43-1c2d3e4f5a6b', reason: '' };
    const ownScript = script(
      [step('s1', origin, '/', { url: [{ kind: 'text', text: '/' }, { kind: 'made', made: 'm', recorded: made.recorded }] })], // prettier-ignore
      { made: [made] },
    );
    const once = crew(2);
    const plan = {
      scripts: [ownScript],
      crews: [{ ...once, crew: { ...once.crew, iterations: 2 } }],
      curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 2, rampDownSeconds: 0, atEnd: 'iteration' } as const,
      environment: environment(origin),
    };
    await play(plan, 'run one');
    await play(plan, 'run two');
    expect([seen.length, new Set(seen).size]).toEqual([8, 8]);
    server.close();
  });

  it('takes users in and lets them go while it plays, and begins nothing while it is paused', async () => {
    const seen: number[] = [];
    const { origin, server } = await serve((_request, response) => {
      seen.push(performance.now());
      response.end('ok');
    });
    const pair = crew(2, 0.1);
    const from = performance.now();
    const at = (ms: number, messages: readonly ToGenerator[]) => messages.map((message) => ({ ms, message }));
    const frames = await play(
      {
        scripts: [script([step('s1', origin, '/')])],
        crews: [pair],
        curve: { kind: 'ramp', together: 2, rampUpSeconds: 0, holdSeconds: 4, rampDownSeconds: 0, atEnd: 'iteration' },
        environment: environment(origin),
      },
      'r',
      [
        ...at(1000, [{ kind: 'users', crew: 'c', come: [{ place: 2, user: 3 }, { place: 3, user: 4 }], go: [] }]), // prettier-ignore
        ...at(2000, [{ kind: 'users', crew: 'c', come: [], go: [1, 2, 3] }]),
        ...at(2500, [{ kind: 'pause' }]),
        ...at(2900, [{ kind: 'resume' }]),
      ],
    );
    const between = (start: number, end: number) => seen.filter((ms) => ms - from >= start && ms - from < end).length;
    // Two users every 0.1 s, then four, then one, then nobody.
    const counts = [between(200, 900), between(1100, 1900), between(2100, 2400), between(2600, 2880)];
    expect(counts[0]).toBeGreaterThanOrEqual(12);
    expect(counts[0]).toBeLessThanOrEqual(16);
    expect(counts[1]).toBeGreaterThanOrEqual(26);
    expect(counts[2]).toBeGreaterThanOrEqual(2);
    expect(counts[2]).toBeLessThanOrEqual(4);
    expect(counts[3]).toBe(0);
    // The one that is left plays until 4 s.
    expect(between(2900, 4100)).toBeGreaterThanOrEqual(8);
    expect(between(2900, 4100)).toBeLessThanOrEqual(12);
    // Frames tell of users that changed, so the last word on each is looked for.
    const last = new Map(frames.flatMap((frame) => frame.users).map((user) => [user.user, user.state]));
    expect([...last]).toEqual([1, 2, 3, 4].map((user) => [user, 'ended']));
    server.close();
  });

  it('starts iterations at their rate however slow the answers are, each as a new visitor, and counts those that found nobody free', async () => {
    const cookies: (string | undefined)[] = [];
    const { origin, server } = await serve((request, response) => {
      cookies.push(request.headers.cookie);
      setTimeout(() => response.setHeader('Set-Cookie', 'visit=1').end('ok'), 390);
    });
    const curve = {
      kind: 'arrivals' as const,
      process: 'constant' as const,
      rampUpSeconds: 0,
      holdSeconds: 2,
      rampDownSeconds: 0,
      atEnd: 'iteration' as const,
    };
    const arriving = async (users: number) => {
      const planned = crew(users);
      const frames = await play({
        scripts: [script([step('s1', origin, '/')])],
        crews: [{ ...planned, crew: { ...planned.crew, ratePerHour: 36_000 } }],
        curve,
        environment: environment(origin),
      });
      const sum = (of: (frame: (typeof frames)[number]) => number) => frames.reduce((all, frame) => all + of(frame), 0);
      return { played: sum((frame) => frame.iterationsPassed), missed: sum((frame) => frame.missedArrivals) };
    };
    // Ten a second for 2 s; each takes 0.4 s, so five users are enough and two can play about five a second.
    expect(await arriving(6)).toEqual({ played: 20, missed: 0 });
    expect(cookies.every((cookie) => cookie === undefined)).toBe(true);
    const two = await arriving(2);
    expect(two.played + two.missed).toBe(20);
    expect(two.missed).toBeGreaterThanOrEqual(9);
    server.close();
  });

  it('goes and comes back on a drawn curve, cuts off what is open where the curve says so, and starts users one after the other', async () => {
    const seen: number[] = [];
    const { origin, server } = await serve((_request, response) => {
      seen.push(performance.now());
      response.end('ok');
    });
    const [from] = [performance.now()];
    const points = [
      [0, 100],
      [0.4, 100],
      [0.4, 0],
      [1, 0],
      [1, 100],
      [1.4, 100],
    ].map(([seconds, percent]) => ({ seconds: seconds ?? 0, percent: percent ?? 0 }));
    const planned = crew(3, 0.3);
    await play({
      scripts: [script([step('s1', origin, '/')])],
      crews: [{ ...planned, crew: { ...planned.crew, startDelayMs: 50 } }],
      curve: { kind: 'drawn', points, atEnd: 'iteration' },
      environment: environment(origin),
    });
    // The third user starts at 0.1 s, so its second turn would be due when its time is over.
    const at = seen.map((moment) => Math.floor((moment - from) / 500));
    expect([
      at.filter((part) => part === 0).length,
      at.filter((part) => part === 1).length,
      at.filter((part) => part === 2).length,
    ]).toEqual([5, 0, 5]);
    // The third starts 0.1 s after the first; the way of the very first request to the server may take a part of that on a busy machine.
    expect((seen[2] ?? 0) - (seen[0] ?? 0)).toBeGreaterThan(50);
    expect((seen[2] ?? 0) - from).toBeGreaterThanOrEqual(100);
    server.close();
    const slow = await serve((_request, response) => setTimeout(() => response.end('ok'), 5000).unref());
    const begun = performance.now();
    const frames = await play({
      scripts: [script([step('s1', slow.origin, '/')])],
      crews: [crew(2)],
      curve: { kind: 'at-once', holdSeconds: 1, rampDownSeconds: 0, atEnd: 'now' },
      environment: environment(slow.origin),
    });
    expect(performance.now() - begun).toBeLessThan(3000);
    // Who was cut off comes again where the curve rises again.
    const asked: number[] = [];
    const hanging = await serve((_request, response) => {
      asked.push(performance.now());
      setTimeout(() => response.end('ok'), 5000).unref();
    });
    await play({
      scripts: [script([step('s1', hanging.origin, '/')])],
      crews: [crew(1)],
      curve: { kind: 'drawn', points, atEnd: 'now' },
      environment: environment(hanging.origin),
    });
    expect(asked).toHaveLength(2);
    hanging.server.closeAllConnections();
    hanging.server.close();
    // What was cut off says nothing of the system.
    expect(totalsOf(frames, null).transactions.size).toBe(0);
    expect(frames.flatMap((frame) => frame.failures)).toEqual([]);
    slow.server.closeAllConnections();
    slow.server.close();
  });

  it('tells a failed answer in spite of its status 200, and captures one example of its kind', async () => {
    const { origin, server } = await serve((_request, response) =>
      response.setHeader('Content-Type', 'text/html').end('<title>Your visit has ended</title>'),
    );
    const frames = await play({
      scripts: [script([step('s1', origin, '/', { expect: { ...expectation, title: 'Desk' } })])],
      crews: [crew(2, 0.5)],
      curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 1, rampDownSeconds: 0, atEnd: 'iteration' },
      environment: environment(origin),
    });
    const failures = frames.flatMap((frame) => frame.failures);
    expect(failures.reduce((sum, failure) => sum + failure.count, 0)).toBe(4);
    expect(failures.filter((failure) => failure.example !== null)).toHaveLength(1);
    expect(failures[0]).toMatchObject({
      code: 'title-unexpected',
      message: 'The page says “Your visit has ended” where the take had “Desk”.',
      example: { responseText: '<title>Your visit has ended</title>' },
    });
    server.close();
  });
});
