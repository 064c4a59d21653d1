import { bindColumn, onceInOrder, totalsOf, type Frame } from '@sturdy/core';
import { Generator, planMessages, type FromGenerator, type ToGenerator } from '../index.js';
import { crew, environment, expectation, play, script, step } from '../test/plans.js';
import { serve } from '../test/serve.js';

/** Each iteration sends the number of a row of its own, until the table has none left. */
function planWithRows(origin: string, users: number, holdSeconds: number): ToGenerator[] {
  const bound = bindColumn(script([step('s1', origin, '/?no=N77')]), 'N77', [{ step: 's1', place: 'query:no' }], 'd', 'number');
  return planMessages({
    version: 1,
    runId: 'r',
    generator: 0,
    generators: 1,
    scripts: [bound],
    crews: [crew(users)],
    curve: { kind: 'at-once', holdSeconds, rampDownSeconds: 0, atEnd: 'iteration' },
    environment: environment(origin),
    tables: [{ table: 'd', columns: ['number'], deal: onceInOrder }],
    files: [],
    secrets: [],
    seed: '1',
    samples: false,
  });
}

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

  it('tells with which rows iterations passed, how long these took, and with which they failed', async () => {
    const { origin, server } = await serve((request, response) => {
      response.statusCode = request.url === '/?no=N2' ? 500 : 200;
      setTimeout(() => response.end('ok'), request.url === '/?no=N3' ? 120 : 0);
    });
    const frames: Frame[] = [];
    let end: () => void = () => undefined;
    const ended = new Promise<void>((done) => (end = done));
    const generator = new Generator((message) => {
      if (message.kind === 'ready') generator.receive({ kind: 'start', atMs: performance.timeOrigin + performance.now() });
      if (message.kind === 'lease') {
        const rows = [1, 2, 3].map((row) => ({ row, values: [`N${row}`] }));
        // An answer takes its time.
        setTimeout(() => generator.receive({ kind: 'rows', table: 'd', rows, more: 'none-left' }), 5);
      }
      if (message.kind === 'frame') frames.push(message.frame);
      if (message.kind === 'ended') end();
    });
    for (const message of planWithRows(origin, 1, 5)) generator.receive(message);
    await ended;
    const played = frames.flatMap(({ playedRows }) => playedRows ?? []);
    expect(played.every(({ crew: id, table }) => id === 'c' && table === 'd')).toBe(true);
    expect(played.flatMap(({ passed }) => passed)).toEqual([1, 3]);
    expect(played.flatMap(({ failed }) => failed)).toEqual([2]);
    const [first = 0, second = 0] = played.flatMap(({ passedMs }) => passedMs);
    expect(second - first).toBeGreaterThan(60);
    server.close();
  });

  it('comes to its end when it is aborted, even where rows that it asked for never come', async () => {
    const said: FromGenerator[] = [];
    let end: () => void = () => undefined;
    const ended = new Promise<void>((done) => (end = done));
    const generator = new Generator((message) => {
      said.push(message);
      if (message.kind === 'ready') generator.receive({ kind: 'start', atMs: performance.timeOrigin + performance.now() });
      // Nobody answers it: the conductor is out of reach.
      if (message.kind === 'lease') setTimeout(() => generator.receive({ kind: 'abort' }), 50);
      if (message.kind === 'ended') end();
    });
    for (const message of planWithRows('http://127.0.0.1:1', 3, 60)) generator.receive(message);
    await ended;
    expect(said.filter(({ kind }) => kind === 'lease')).toHaveLength(1);
    const users = said.flatMap((message) => (message.kind === 'frame' ? message.frame.users : []));
    expect([...new Map(users.map((user) => [user.user, user.state])).values()]).toEqual(['ended', 'ended', 'ended']);
  });
});
