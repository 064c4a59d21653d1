import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { Handoff, RequestStep } from '@sturdy/core';
import { compile, HttpDriver, VirtualUser } from './index.js';
import { environment, expectation, script, step, text } from './test/plans.js';

/** What the server got, with the number of requests that it had open at that moment. */
const got: { url: string; open: number }[] = [];
let open = 0;
let server: Server;
let origin = '';
beforeAll(async () => {
  server = createServer((request, response) => {
    got.push({ url: request.url ?? '', open: ++open });
    const end = () => {
      open--;
      if (request.url === '/book') response.writeHead(303, { Location: '/seal/k-77' }).end();
      else if (request.url?.startsWith('/seal/')) response.writeHead(302, { Location: '/intakes/20418' }).end();
      else response.end('ok');
    };
    if (request.url === '/gone') response.statusCode = 404;
    if (request.url?.startsWith('/slow')) setTimeout(end, 60);
    else end();
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});
beforeEach(() => {
  got.length = 0;
});

/** Plays a script once; pauses are noted, not waited for. */
async function playOnce(steps: Parameters<typeof script>[0], handoffs: Handoff[] = []) {
  const pauses: number[] = [];
  const busy: number[] = [];
  const took: number[] = [];
  const user = new VirtualUser(
    compile(script(steps, { handoffs }), environment(origin)),
    { http: new HttpDriver({ refuses: () => null }) },
    () => 0,
    { step: ({ outcome }) => took.push(outcome.durationMs), transaction: (_name, busyMs) => busy.push(busyMs) },
    { stopsNow: () => false, pause: (ms) => Promise.resolve(void pauses.push(ms)) },
  );
  const ended = await user.iterate(new Map(), 'next-iteration');
  await user.close();
  return { ended, pauses, busyMs: busy[0] ?? 0, tookMs: took.reduce((sum, ms) => sum + ms, 0), urls: got.map((request) => request.url) };
}
const request = (id: string, target: string, more: Partial<RequestStep> = {}) => step(id, origin, target, more);

describe('steps that hold others', () => {
  it('side by side: all are open at the same time, and the transaction waits for the slowest once', async () => {
    const { ended, busyMs, tookMs } = await playOnce([
      { kind: 'side-by-side', id: 'b', steps: ['/slow1', '/slow2', '/slow3'].map((target, at) => request(`s${at}`, target)) },
      request('s9', '/after'),
    ]);
    expect(ended).toEqual({ good: true, complete: true, ends: false });
    expect(Math.max(...got.map((request) => request.open))).toBe(3);
    expect(got.at(-1)).toEqual({ url: '/after', open: 1 });
    expect(busyMs).toBeLessThan(tookMs);
  });

  it('repeat: its rounds with pauses between them, side by side inside too, and a failure ends it', async () => {
    const inner = { kind: 'side-by-side' as const, id: 'b', steps: [request('s1', '/a'), request('s2', '/b')] };
    const good = await playOnce([{ kind: 'repeat', id: 'r', name: 'R', times: 3, pauseMs: 250, steps: [inner, request('s3', '/c')] }]);
    expect(good.urls.length).toBe(9);
    expect(good.urls.filter((url) => url === '/c').length).toBe(3);
    expect(good.pauses).toEqual([250, 250]);
    got.length = 0;
    const bad = await playOnce([
      { kind: 'repeat', id: 'r', name: 'R', times: 3, pauseMs: 1, steps: [request('s1', '/gone')] },
      request('s2', '/never'),
    ]);
    expect(bad.urls).toEqual(['/gone']);
    expect(bad.ended.good).toBe(false);
  });

  it('a step that follows redirects hands on what any of its answers gave', async () => {
    const handoff = (id: string, left: string, hop: number): Handoff => ({
      id,
      name: id,
      origin: 's1',
      hop,
      extractor: { kind: 'header', name: 'location', within: { left, right: '' } },
      evidence: 'proven',
      reason: '',
      recorded: 'old',
    });
    const use = (id: string): RequestStep['url'] => [...text(`/use/`), { kind: 'handoff', handoff: id, recorded: 'old' }];
    const { urls } = await playOnce(
      [
        request('s1', '/book', { followRedirects: true, expect: expectation }),
        request('s2', '', { url: use('h1') }),
        request('s3', '', { url: use('h2') }),
      ],
      [handoff('h1', '/seal/', 0), handoff('h2', '/intakes/', 1)],
    );
    expect(urls).toEqual(['/book', '/seal/k-77', '/intakes/20418', '/use/k-77', '/use/20418']);
  });
});
