import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { createHash } from 'node:crypto';
import type { Check, Handoff, RequestStep, Step, Transaction } from '@sturdy/core';
import seedrandom from 'seedrandom';
import { compile, HttpDriver, rehearse, VirtualUser, type Row } from './index.js';
import { MeetingPoints } from './generator/meeting-points.js';
import { Meetings } from './generator/meetings.js';
import { environment, expectation, script, step, text } from './test/plans.js';

/** A little desk: signs in by a cookie, gives numbers, wants a proof of the last of them. */
const got: string[] = [];
let server: Server;
let origin = '';
let numbers = 0;
beforeAll(async () => {
  server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      const sent = Buffer.concat(chunks).toString();
      got.push(`${request.method} ${request.url}${sent === '' ? '' : ` ${sent}`}`);
      const signedIn = /desk=\w+/.exec(request.headers.cookie ?? '')?.[0];
      if (request.url === '/sign-in') response.setHeader('Set-Cookie', `desk=d${++numbers}; Path=/`).end('<a href="/out">Sign out</a>');
      else if (request.url === '/list') response.setHeader('Content-Type', 'application/json').end('{"rows":[{"id":3},{"id":5},{"id":8}]}');
      else if (request.url?.startsWith('/proof')) response.end(String(request.headers['x-proof']));
      else if (request.url === '/late') response.end(got.filter((request) => request === 'GET /late').length < 3 ? 'wait' : 'ready');
      else response.end(`signed in as ${signedIn ?? 'nobody'}`);
    });
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
  numbers = 0;
});

const request = (id: string, target: string, more: Partial<RequestStep> = {}) => step(id, origin, target, more);
const transaction = (id: string, steps: Step[], phase?: Transaction['phase']): Transaction => ({
  kind: 'transaction',
  id,
  name: id,
  ...(phase && { phase }),
  steps,
});
const check = (checked: Check['checked'], onFailure: Check['onFailure'] = 'mark'): Check => ({ id: 'c', checked, onFailure });
const variable = (name: string) => [{ kind: 'variable' as const, name, recorded: '' }];

function userOf(transactions: Transaction[], random = () => 0.5) {
  const notes: string[] = [];
  const failures: (string | null)[] = [];
  const pauses: number[] = [];
  const skipped: string[] = [];
  const user = new VirtualUser(
    compile(script([], { transactions }), environment(origin)),
    { http: new HttpDriver({ refuses: () => null }) },
    random,
    {
      step: (played) => failures.push(played.failure?.text ?? null),
      log: ({ text }) => notes.push(`log: ${text}`),
      failed: ({ failure }) => notes.push(`${failure.code}: ${failure.text}`),
      skipped: (steps) => skipped.push(...steps),
      transaction: () => undefined,
    },
    { stopsNow: () => false, pause: (ms) => Promise.resolve(void pauses.push(ms)) },
  );
  return { user, notes, failures, pauses, skipped };
}
const none = new Map();

describe('rows that are dealt while a script is played', () => {
  const row = (no: number): Row => new Map([['no', String(no)]]);
  const no = (path: string): RequestStep['url'] => [...text(path), { kind: 'data', table: 'd', column: 'no', recorded: 'old' }];
  const userWith = (steps: Step[], deal: () => Row | null, listed: Row[] | null = null, perUse: string[] = []) =>
    new VirtualUser(
      compile(script(steps), environment(origin), { dealtPerUse: new Set(perUse) }),
      { http: new HttpDriver({ refuses: () => null }) },
      () => 0,
      { step: () => undefined, transaction: () => undefined },
      { stopsNow: () => false, pause: () => Promise.resolve(), deal: () => Promise.resolve(deal()), listed: () => listed },
    );
  const loop = (times: number, steps: Step[]): Step => ({
    kind: 'repeat',
    id: 'r',
    name: 'Each row',
    times,
    pauseMs: 0,
    loop: { kind: 'each-row', table: 'd' },
    steps,
  });
  const counting = (most: number) => {
    let dealt = 0;
    return () => (dealt < most ? row(++dealt) : null);
  };

  it('go to each request that sends one, side by side too; the others see the last, and who gets none plays no more', async () => {
    const user = userWith(
      [
        request('a', '', { url: no('/a/') }),
        request('b', '/plain'),
        { kind: 'side-by-side', id: 'both', steps: [request('c', '', { url: no('/c/') }), request('d', '', { url: no('/d/') })] },
      ],
      counting(5),
      null,
      ['d'],
    );
    expect(user.program.tables).toEqual([]);
    expect(await user.iterate(none, 'next-iteration')).toMatchObject({ ends: false });
    expect([...got].sort()).toEqual(['GET /a/1', 'GET /c/2', 'GET /d/3', 'GET /plain']);
    expect(await user.iterate(none, 'next-iteration')).toMatchObject({ ends: true });
    await user.close();
    expect([...got].sort()).toEqual(['GET /a/1', 'GET /a/4', 'GET /c/2', 'GET /c/5', 'GET /d/3', 'GET /plain', 'GET /plain']);
  });

  it('are gone through in a loop: newly dealt ones until there are no more, listed ones from the first on each time', async () => {
    const once = userWith([loop(10, [request('a', '', { url: no('/once/') })])], counting(3));
    expect(once.program.tables).toEqual([]);
    for (let at = 0; at < 2; at++) await once.iterate(none, 'next-iteration');
    await once.close();
    const again = userWith([loop(2, [request('a', '', { url: no('/again/') })])], () => null, [row(7), row(8), row(9)]);
    for (let at = 0; at < 2; at++) await again.iterate(none, 'next-iteration');
    await again.close();
    expect(got).toEqual(['/once/1', '/once/2', '/once/3', '/again/7', '/again/8', '/again/7', '/again/8'].map((path) => `GET ${path}`));
  });
});

describe('what is played once by each user', () => {
  it('signs in before the first iteration, keeps the cookie and what was read, and signs out after the last', async () => {
    const { user } = userOf([
      transaction('in', [request('s1', '/sign-in')], 'before'),
      transaction('work', [request('s2', '/who')]),
      transaction('out', [request('s3', '/out')], 'after'),
    ]);
    for (let at = 0; at < 3; at++) await user.iterate(none, 'next-iteration');
    await user.end(none);
    await user.close();
    expect(got).toEqual(['GET /sign-in', 'GET /who', 'GET /who', 'GET /who', 'GET /out']);
  });

  it('goes on with the value that was read last, in the next iteration and at the end', async () => {
    const read = (step: string) => ({ step });
    const handoff: Handoff = {
      id: 'h',
      name: 'desk',
      origin: 's1',
      also: [read('s2')],
      extractor: { kind: 'cookie', name: 'desk' },
      evidence: 'proven',
      reason: '',
      recorded: 'old',
    };
    const use = (path: string): RequestStep['url'] => [...text(path), { kind: 'handoff', handoff: 'h', recorded: 'old' }];
    const transactions = [
      transaction('in', [request('s1', '/sign-in')], 'before'),
      transaction('work', [request('s3', '', { url: use('/work/') }), request('s2', '/sign-in')]),
      transaction('out', [request('s4', '', { url: use('/out/') })], 'after'),
    ];
    const user = new VirtualUser(
      compile(script([], { transactions, handoffs: [handoff] }), environment(origin)),
      { http: new HttpDriver({ refuses: () => null }) },
      () => 0,
      { step: () => undefined, transaction: () => undefined },
      { stopsNow: () => false, pause: () => Promise.resolve() },
    );
    for (let at = 0; at < 2; at++) await user.iterate(none, 'next-iteration');
    await user.end(none);
    await user.close();
    expect(got.filter((request) => !request.endsWith('/sign-in'))).toEqual(['GET /work/d1', 'GET /work/d2', 'GET /out/d3']);
  });

  it('tries to sign in again where that failed, and iterates only then', async () => {
    let answers = 0;
    const failing = check({ kind: 'value', extractor: { kind: 'header', name: 'set-cookie' }, is: 'contains', than: text('desk=d2') });
    const { user } = userOf([
      transaction('in', [request('s1', '/sign-in', { checks: [failing] })], 'before'),
      transaction('work', [request('s2', '/who')]),
    ]);
    for (; answers < 3; answers++) await user.iterate(none, 'next-iteration');
    await user.close();
    expect(got).toEqual(['GET /sign-in', 'GET /sign-in', 'GET /who', 'GET /who']);
  });
});

describe('steps that send nothing', () => {
  it('code reads the answer, sets variables and changes the next request alone', async () => {
    const { user, notes } = userOf([
      transaction('t', [
        request('s1', '/list'),
        {
          kind: 'code',
          id: 'j',
          name: 'proof',
          source:
            'variables.bay = answer.json().rows.at(-1).id; next.header("X-Proof", digest("md5", variables.bay)); next.query("bay", variables.bay); log("bay", variables.bay)',
          timeMs: 200,
          memoryMb: 16,
        },
        request('s2', '/proof?a=1', {
          checks: [check({ kind: 'text', text: text(createHash('md5').update('8').digest('hex')), present: true })],
        }),
        request('s3', '/proof', { checks: [check({ kind: 'text', text: text('undefined'), present: true })] }),
        request('s4', '/', { url: [...text('/bay/'), ...variable('bay')] }),
      ]),
    ]);
    expect(await user.iterate(none, 'next-iteration')).toMatchObject({ good: true });
    await user.close();
    expect(got).toEqual(['GET /list', 'GET /proof?a=1&bay=8', 'GET /proof', 'GET /bay/8']);
    expect(notes).toEqual(['log: bay 8']);
  });

  it('code that fails ends the iteration with its line, and the user goes on with the next', async () => {
    const { user, notes } = userOf([
      transaction('t', [
        { kind: 'code', id: 'j', name: 'broken', source: '\nnone.here', timeMs: 100, memoryMb: 16 },
        request('s1', '/never'),
      ]),
    ]);
    expect(await user.iterate(none, 'next-iteration')).toMatchObject({ good: false, complete: true });
    expect(await user.iterate(none, 'go-on')).toMatchObject({ good: false, complete: true });
    await user.close();
    expect(notes[0]).toBe("code-failed: The code “broken” failed. Line 2: ReferenceError: 'none' is not defined");
    expect(got).toEqual(['GET /never']);
  });

  it('sets, reads and deletes cookies, and logs', async () => {
    const cookie = (action: 'set' | 'read' | 'delete', value: string): Step => ({
      kind: 'cookie',
      id: action,
      action,
      origin,
      name: 'desk',
      value: text(value),
    });
    const { user, notes } = userOf([
      transaction('t', [
        cookie('set', 'own'),
        request('s1', '/a/b', { checks: [check({ kind: 'text', text: text('desk=own'), present: true })] }),
        cookie('read', 'found'),
        { kind: 'log', id: 'l', text: [...text('cookie '), ...variable('found')] },
        cookie('delete', ''),
        request('s2', '/who', { checks: [check({ kind: 'text', text: text('nobody'), present: true })] }),
      ]),
    ]);
    expect(await user.iterate(none, 'next-iteration')).toMatchObject({ good: true });
    await user.close();
    expect(notes).toEqual(['log: cookie own']);
  });

  it('repeats while a condition holds, for each match, and plays what a condition allows', async () => {
    const last = { kind: 'variable' as const, id: 'v', name: 'last', value: text('') };
    const { user, skipped } = userOf([
      transaction('t', [
        last,
        {
          kind: 'repeat',
          id: 'r',
          name: 'until ready',
          times: 10,
          pauseMs: 5,
          loop: { kind: 'while', condition: { left: variable('last'), is: 'differs', right: text('ready') } },
          steps: [
            request('s1', '/late'),
            { kind: 'code', id: 'j', name: 'note', source: 'variables.last = answer.body', timeMs: 200, memoryMb: 16 },
          ],
        },
        request('s2', '/list'),
        {
          kind: 'repeat',
          id: 'e',
          name: 'each',
          times: 2,
          pauseMs: 0,
          loop: { kind: 'each-match', step: 's2', extractor: { kind: 'jsonpath', path: '$.rows[*].id', pick: 'first' }, variable: 'id' },
          steps: [
            request('s3', '/', { url: [...text('/open/'), ...variable('id')] }),
            {
              kind: 'when',
              id: 'w',
              name: 'the first',
              condition: { left: variable('id'), is: 'less', right: text('4') },
              steps: [request('s4', '/small')],
            },
          ],
        },
      ]),
    ]);
    expect(await user.iterate(none, 'next-iteration')).toMatchObject({ good: true });
    await user.close();
    expect(got).toEqual(['GET /late', 'GET /late', 'GET /late', 'GET /list', 'GET /open/3', 'GET /small', 'GET /open/5']);
    expect(skipped).toEqual(['s4']);
  });

  it('draws pauses from their spread: uniform within its bounds, log-normal with the pause as its median', async () => {
    const random = seedrandom('pauses');
    const pause = (spread: Extract<Step, { kind: 'pause' }>['spread']): Step => ({
      kind: 'pause',
      id: 'p',
      ms: 1000,
      ...(spread && { spread }),
    });
    const drawn = async (spread: Extract<Step, { kind: 'pause' }>['spread']) => {
      const { user, pauses } = userOf(
        [
          transaction(
            't',
            Array.from({ length: 2001 }, () => pause(spread)),
          ),
        ],
        random,
      );
      await user.iterate(none, 'go-on');
      return pauses.sort((left, right) => left - right);
    };
    const uniform = await drawn({ kind: 'uniform', byMs: 400 });
    expect(uniform[0]).toBeGreaterThanOrEqual(600);
    expect(uniform.at(-1)).toBeLessThanOrEqual(1400);
    expect(Math.abs((uniform[1000] ?? 0) - 1000)).toBeLessThan(20);
    const normal = await drawn({ kind: 'log-normal', sigma: 0.5 });
    expect(Math.abs((normal[1000] ?? 0) - 1000)).toBeLessThan(60);
    // The 84.1th percentile of a normal distribution lies one standard deviation above its mean (any table of it).
    expect(Math.abs(Math.log((normal[Math.round(0.8413 * 2001)] ?? 0) / 1000) - 0.5)).toBeLessThan(0.08);
  });
});

describe('checks', () => {
  it('count as failures of their step; one may end the iteration, another the user', async () => {
    const wrong = (onFailure: Check['onFailure']) => [check({ kind: 'text', text: text('signed in as kim'), present: true }, onFailure)];
    const marked = userOf([transaction('t', [request('s1', '/who', { checks: wrong('mark') }), request('s2', '/b')])]);
    expect(await marked.user.iterate(none, 'go-on')).toMatchObject({ good: false, ends: false });
    expect(marked.failures).toEqual(['The answer does not hold “signed in as kim”.', null]);
    const left = userOf([transaction('t', [request('s1', '/who', { checks: wrong('next-iteration') }), request('s2', '/b')])]);
    expect(await left.user.iterate(none, 'go-on')).toMatchObject({ good: false, complete: true, ends: false });
    expect(left.failures.length).toBe(1);
    const ended = userOf([transaction('t', [request('s1', '/who', { checks: wrong('stop-user') }), request('s2', '/b')])]);
    expect(await ended.user.iterate(none, 'go-on')).toMatchObject({ ends: true });
    for (const { user } of [marked, left, ended]) await user.close();
  });

  it('are told by a rehearsal, which plays on and says what was passed over', async () => {
    const ownScript = script([], {
      transactions: [
        transaction('t', [
          request('s1', '/who', { expect: expectation, checks: [check({ kind: 'size', atLeast: 1000, atMost: null }, 'stop-user')] }),
          {
            kind: 'when',
            id: 'w',
            name: 'never',
            condition: { left: text('a'), is: 'equals', right: text('b') },
            steps: [request('s2', '/no')],
          },
          { kind: 'code', id: 'j', name: 'x', source: 'log("at the end"); fail("done")', timeMs: 100, memoryMb: 16 },
        ]),
      ],
    });
    const captured = await rehearse({
      script: ownScript,
      environment: environment(origin),
      random: () => 0.5,
      put: (bytes, mimeType) => ({ hash: '', size: bytes.length, mimeType }),
      readFile: () => undefined,
    });
    expect(captured.steps.map((captured) => captured.checks)).toEqual([['The answer has 19 bytes, where at least 1000 are wanted.']]);
    expect(captured.skipped).toEqual(['s2']);
    expect(captured.notes).toMatchObject([{ step: 'j', kind: 'failed', afterStep: 's1' }]);
  });
});

describe('meeting points', () => {
  it('let users of all generators through once enough have come, or when their time is over, or when the run ends', async () => {
    const points = new MeetingPoints();
    const generators: Meetings[] = [];
    const go = (who: readonly string[]) => {
      for (const generator of generators) generator.go(who);
    };
    for (const prefix of ['0', '1'])
      generators.push(
        new Meetings(
          prefix,
          (step, who, users) => {
            go(points.come(step, who, users));
          },
          (step, who) => {
            points.leave(step, who);
          },
        ),
      );
    const order: string[] = [];
    const come = (name: string, generator = 0, users = 3, atMostMs = 60_000) =>
      (generators[generator]?.meet('m', users, atMostMs) ?? Promise.resolve()).then(() => order.push(name));
    const three = [come('a'), come('b', 1)];
    await Promise.resolve();
    expect(order).toEqual([]);
    await Promise.all([...three, come('c', 1)]);
    expect(order.sort()).toEqual(['a', 'b', 'c']);
    await come('late', 0, 3, 20);
    expect(order).toContain('late');
    // Who left is not counted: two are not three.
    const waiting = [come('end'), come('end too')];
    await new Promise((done) => setTimeout(done, 20));
    expect(order).not.toContain('end');
    // Those of a lost generator count no more.
    points.forget((who) => who.startsWith('0:'));
    void come('alone', 1);
    expect(order).not.toContain('alone');
    for (const generator of generators) generator.open();
    await Promise.all(waiting);
    await come('after');
    expect(order).toEqual(expect.arrayContaining(['end', 'end too', 'alone', 'after']));
  });
});
