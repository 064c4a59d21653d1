import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { BrowserLikenessSchema, type BrowserLikeness, type Crew } from '@sturdy/core';
import { CachedDriver, HttpDriver, optionsFor, TargetTls, type HttpUserDriver, type WireRequest } from './index.js';
import { get as getFrom } from './test/get.js';
import { crew, environment, play, script, step } from './test/plans.js';

let server: Server;
let origin: string;
const asked: { url: string; headers: IncomingMessage['headers'] }[] = [];
let under: { now: number; most: number };

/** Answers with the headers that the query names; `?ms=` waits, `?bytes=` sizes the body. */
beforeAll(async () => {
  server = createServer((request: IncomingMessage, response: ServerResponse) => {
    asked.push({ url: request.url ?? '', headers: request.headers });
    under.most = Math.max(under.most, ++under.now);
    const { searchParams: query } = new URL(request.url ?? '/', origin);
    setTimeout(
      () => {
        under.now--;
        for (const [name, value] of query) if (/^[A-Z]/.test(name)) response.setHeader(name, value);
        if (query.get('ETag') !== null && request.headers['if-none-match'] === query.get('ETag')) response.writeHead(304).end();
        else response.end(Buffer.alloc(Number(query.get('bytes') ?? 2), 'x'));
      },
      Number(query.get('ms') ?? 0),
    );
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => server.close());
beforeEach(() => {
  asked.length = 0;
  under = { now: 0, most: 0 };
});

const get = (target: string, more: Partial<WireRequest> = {}) => getFrom(origin, target, more);
const driverOf = (settings: Pick<Crew, 'line' | 'browser'>) => {
  const place = environment(origin);
  return new HttpDriver(optionsFor(place, new TargetTls(place), settings));
};
const browser = (more: Partial<BrowserLikeness>) => BrowserLikenessSchema.parse(more);

describe('the cache of a virtual user (RFC 9111)', () => {
  const cached = (cold = false): HttpUserDriver => new CachedDriver(driverOf({}), cold);
  const times = async (driver: HttpUserDriver, target: string, more: Partial<WireRequest> = {}) => {
    const first = await driver.send(get(target, more));
    const second = await driver.send(get(target, more));
    return [asked.length, first.fromCache ?? false, second.fromCache ?? false, second.status, second.body?.length];
  };

  it('does not ask for what is fresh (4.2), though the recording went round the cache of its browser', async () => {
    const recorded: WireRequest['headers'] = [
      ['Cache-Control', 'no-cache'],
      ['Pragma', 'no-cache'],
    ];
    expect(await times(cached(), '/a.css?Cache-Control=max-age%3D60', { headers: recorded })).toEqual([1, false, true, 200, 2]);
  });

  it('keeps nothing that must not be stored (5.2.2.5), and asks each time where that is said (5.2.2.4)', async () => {
    expect(await times(cached(), '/a?Cache-Control=no-store')).toEqual([2, false, false, 200, 2]);
    asked.length = 0;
    expect(await times(cached(), '/a?Cache-Control=no-cache&ETag="v1"')).toEqual([2, false, false, 200, 2]);
    expect(asked[1]?.headers['if-none-match']).toBe('"v1"');
  });

  it('asks whether a stale answer still holds, and takes 304 for the answer that it has (4.3)', async () => {
    const [count, , , status, size] = await times(cached(), '/logo.png?Cache-Control=max-age%3D0&ETag="v2"&bytes=50');
    expect([count, status, size]).toEqual([2, 200, 50]);
  });

  it('tells answers apart by what they vary with (4.1), and forgets what was changed (4.4)', async () => {
    const driver = cached();
    const target = '/a?Cache-Control=max-age%3D60&Vary=Accept-Language';
    await driver.send(get(target, { headers: [['Accept-Language', 'en']] }));
    expect((await driver.send(get(target, { headers: [['Accept-Language', 'de']] }))).fromCache).toBeUndefined();
    const again = '/a?Cache-Control=max-age%3D60';
    await driver.send(get(again));
    await driver.send(get(again, { method: 'POST', body: 'x' }));
    expect((await driver.send(get(again))).fromCache).toBeUndefined();
  });

  it('is empty at the start of each iteration where it starts cold, and does not come into the figures', async () => {
    const counted = async (cache: 'cold' | 'warm' | 'off') => {
      asked.length = 0;
      const single = crew(1);
      const css = '/a.css?Cache-Control=max-age%3D60';
      const frames = await play({
        scripts: [script([step('s1', origin, '/'), step('s2', origin, css), step('s3', origin, css)])],
        crews: [{ ...single, crew: { ...single.crew, iterations: 2, browser: browser({ cache }) } }],
        curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 2, rampDownSeconds: 0, atEnd: 'iteration' },
        environment: environment(origin),
      });
      const items = frames.flatMap((frame) => frame.items).filter((item) => item.step !== null);
      return [asked.length, items.reduce((sum, item) => sum + item.tally.count, 0)];
    };
    expect([await counted('off'), await counted('cold'), await counted('warm')]).toEqual([
      [6, 6],
      [4, 4],
      [3, 3],
    ]);
  });
});

describe('what else is like a browser', () => {
  it('says who it is and which languages it reads, instead of what was recorded', async () => {
    const user = driverOf({ browser: browser({ userAgent: 'Depot tablet', languages: 'de' }) });
    await user.send(
      get('/', {
        headers: [
          ['user-agent', 'recorded'],
          ['Accept-Language', 'en'],
        ],
      }),
    );
    expect([asked[0]?.headers['user-agent'], asked[0]?.headers['accept-language']]).toEqual(['Depot tablet', 'de']);
    await user.close();
  });

  it('opens as many connections as it may, and fetches files that follow each other at the same time', async () => {
    const files = ['/a.css', '/b.js', '/c.png', '/d.woff2'].map((path, at) => step(`f${at}`, origin, `${path}?ms=150`));
    const mostOf = async (likeness: Partial<BrowserLikeness>) => {
      under = { now: 0, most: 0 };
      const single = crew(1);
      await play({
        scripts: [script([step('s1', origin, '/?ms=10'), ...files, step('s2', origin, '/end')])],
        crews: [{ ...single, crew: { ...single.crew, iterations: 1, browser: browser(likeness) } }],
        curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 2, rampDownSeconds: 0, atEnd: 'iteration' },
        environment: environment(origin),
      });
      return [under.most, asked.at(-1)?.url];
    };
    expect(await mostOf({})).toEqual([1, '/end']);
    expect(await mostOf({ filesSideBySide: true })).toEqual([4, '/end']);
    expect(await mostOf({ filesSideBySide: true, connections: 2 })).toEqual([2, '/end']);
  });
});

describe('the line of a virtual user', () => {
  it('takes the latency once for a request and once for a new connection, and bytes at its bandwidth, shared by its connections', async () => {
    const user = driverOf({ line: { latencyMs: 100, downKbps: 400, upKbps: null } });
    const first = await user.send(get('/'));
    expect(first.durationMs).toBeGreaterThanOrEqual(199);
    // A busy machine makes single requests late; the quickest of several tells whether the connection was paid for again.
    const later: number[] = [];
    for (let n = 0; n < 8; n++) later.push((await user.send(get('/'))).durationMs);
    expect(Math.min(...later)).toBeGreaterThanOrEqual(99);
    expect(Math.min(...later)).toBeLessThan(199);
    // 20 kB at 400 kbit/s take 0.4 s; two at the same time share the line.
    const both = await Promise.all([user.send(get('/?bytes=20000')), user.send(get('/?bytes=20000'))]);
    expect(Math.max(...both.map((response) => response.durationMs))).toBeGreaterThanOrEqual(880);
    expect(both.map((response) => response.body?.length)).toEqual([20_000, 20_000]);
    const uphill = driverOf({ line: { latencyMs: 0, downKbps: null, upKbps: 80 } });
    expect((await uphill.send(get('/', { method: 'POST', body: 'x'.repeat(5000) }))).durationMs).toBeGreaterThanOrEqual(499);
    await Promise.all([user.close(), uphill.close()]);
  });
});
