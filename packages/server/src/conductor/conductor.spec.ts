import {
  bindColumn,
  onceInOrder,
  plainColumns,
  plainEnvironment,
  runResult,
  Tally,
  type Frame,
  type Run,
  type RunResult,
  type Script,
  type UserLogEntry,
  type Workload,
} from '@sturdy/core';
import { PlanSchema, type FromGenerator, type LinkIdentity, type ToGenerator } from '@sturdy/engine';
import type { Compute } from '../compute/tasks.js';
import { LiveHub } from '../live/live-hub.js';
import { oneRequest } from '../test/one-request.js';
import type { Store } from '../store/store-client.js';
import { Conductor } from './conductor.js';
import type { RunGround } from './live-run.js';
import type { Transport } from './transport.js';

const origin = 'http://127.0.0.1:9';
const script = bindColumn(oneRequest(origin, '/?no=N77'), 'N77', [{ step: 's1', place: 'query:no' }], 'd', 'number');
const environment = plainEnvironment({ id: 'e', projectId: 'p', name: 'E', targets: [origin] });
const workload: Workload = {
  id: 'w',
  projectId: 'p',
  name: 'W',
  generators: 2,
  seed: '1',
  curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 3, rampDownSeconds: 0, atEnd: 'iteration' },
  crews: [
    {
      id: 'c',
      name: 'C',
      scriptId: 's',
      users: 5,
      think: { kind: 'none', factor: 1, ms: 0, capMs: 0 },
      pacing: { kind: 'none', seconds: 0 },
      onFailure: 'go-on',
    },
  ],
  criteria: [{ id: 'k', measure: 'mean', transaction: 'T', limit: 100 }],
};
const frame = (generator: number, second: number): Frame => {
  const tally = new Tally();
  tally.add(10 * (generator + 1), true);
  return {
    version: 1,
    generator,
    second,
    activeUsers: 2,
    iterationsPassed: 1,
    iterationsFailed: 0,
    failures: [],
    users: [],
    loopDelayMs: 1,
    latenessMs: 0,
    missedArrivals: 0,
    items: [{ crew: 'c', transaction: 'T', step: null, tally: tally.toData() }],
  };
};

/** A store that keeps everything in memory and notes the order of what happens to rows. */
class FakeStore {
  readonly runsSaved: Run[] = [];
  readonly framesSaved: Frame[] = [];
  readonly rowLog: string[] = [];
  free = 10;
  scripts = () => Promise.resolve([script]);
  scriptVersions = () => Promise.resolve([{ number: 7, at: '', by: 'kim', what: '1 step changed' }]);
  tables = () =>
    Promise.resolve([
      {
        id: 'd',
        projectId: 'p',
        name: 'D',
        columns: plainColumns(['number']),
        version: 0,
        rowCount: 10,
        spentCount: 10 - this.free,
        deal: onceInOrder,
      },
    ]);
  runs = () => Promise.resolve([]);
  saveRun = (run: Run) => {
    this.runsSaved.push(run);
    return Promise.resolve();
  };
  saveFrames = (_run: string, frames: Frame[]) => {
    this.framesSaved.push(...frames);
    return Promise.resolve();
  };
  frames = () => Promise.resolve(this.framesSaved);
  hostPoints = () => Promise.resolve([]);
  leaseRows = async (_table: string, count: number, by: string) => {
    await new Promise((done) => setTimeout(done, 5));
    const given = Math.min(count, this.free);
    this.free -= given;
    this.rowLog.push(`leased ${given} to ${by}`);
    return Array.from({ length: given }, (_, index) => ({ row: 10 - this.free - given + index + 1, values: ['x'] }));
  };
  releaseRows = (_table: string, rows: number[], by: string) => {
    this.rowLog.push(`released ${rows.join(',')} of ${by}`);
    return Promise.resolve(rows.length);
  };
}

/** Generators that only note what they are told; the test speaks for them. */
class FakeTransport implements Transport {
  readonly sent: ToGenerator[][] = [];
  readonly say: ((message: FromGenerator) => void)[] = [];
  closed = 0;
  constructor(readonly store: FakeStore) {}
  quietMs = [0, 0];
  open({ generator }: LinkIdentity, receive: (message: FromGenerator) => void) {
    this.sent[generator] = [];
    this.say[generator] = receive;
    const quietOf = () => this.quietMs[generator] ?? 0;
    return {
      get quietMs() {
        return quietOf();
      },
      send: (message: ToGenerator) => {
        this.sent[generator]?.push(message);
        if (message.kind === 'clock') receive({ kind: 'clock', sentMs: message.sentMs, ownMs: message.sentMs + 1000 * generator });
        if (message.kind === 'rows') this.store.rowLog.push(`rows left for generator ${generator}`);
      },
      close: () => {
        this.closed++;
        return Promise.resolve();
      },
    };
  }
  all(message: FromGenerator): void {
    for (const say of this.say) say(message);
  }
}

const compute = {
  runResult: (run: Run, frames: Frame[], scripts: Script[]): Promise<RunResult> => Promise.resolve(runResult(run, frames, scripts)),
} as unknown as Compute;

async function started(more: Partial<Workload> = {}, samples: RunGround['samples'] = null) {
  const store = new FakeStore();
  const transport = new FakeTransport(store);
  const runs: Run[] = [];
  const hub = new LiveHub();
  const tell: LiveHub['tell'] = (topic, kind, data, keeps) => {
    if (kind === 'run') runs.push(data as Run);
    hub.tell(topic, kind, data, keeps);
  };
  const conductor = new Conductor(store as unknown as Store, compute, { tell }, transport, samples);
  const run = await conductor.start({ ...workload, ...more }, environment);
  const settled = async () => {
    await new Promise((done) => setTimeout(done, 30));
    return store.runsSaved.at(-1);
  };
  return { store, transport, conductor, run, settled, live: () => runs };
}

describe('the conductor', () => {
  it('splits the users over the generators, each user once, and starts when all are ready', async () => {
    const { transport, conductor, run } = await started();
    const users = transport.sent.map((messages) =>
      messages[0]?.kind === 'plan' ? PlanSchema.parse(JSON.parse(messages[0].text)).crews[0]?.users.map(({ user }) => user) : [],
    );
    expect(users.flat().sort()).toEqual([1, 2, 3, 4, 5]);
    expect(users.map((user) => user?.length)).toEqual([2, 3]);
    transport.say[0]?.({ kind: 'ready' });
    expect(transport.sent.flat().some((message) => message.kind === 'start')).toBe(false);
    transport.say[1]?.({ kind: 'ready' });
    expect(transport.sent.map((messages) => messages.at(-1)?.kind)).toEqual(['start', 'start']);
    await conductor.need(run.id).abort();
  });

  it('notes which scripts and which data it plays, in which state', async () => {
    const { run, conductor } = await started();
    const mark = expect.stringMatching(/^[0-9a-f]{64}$/) as string;
    expect(run.played).toEqual({
      scripts: [{ id: script.id, name: script.name, version: 7, mark }],
      tables: [{ id: 'd', name: 'D', version: 0, mark: expect.any(String) as string, rows: 10 }],
    });
    await conductor.need(run.id).abort();
  });

  it('starts nobody where the last generator is ready only while the run is being aborted', async () => {
    const { transport, conductor, run, settled, live } = await started();
    transport.say[0]?.({ kind: 'ready' });
    const aborted = conductor.need(run.id).abort();
    transport.say[1]?.({ kind: 'ready' });
    await aborted;
    expect(transport.sent.flat().some((message) => message.kind === 'start')).toBe(false);
    expect(live().map(({ state }) => state)).not.toContain('running');
    expect(await settled()).toMatchObject({ state: 'aborted' });
  });

  it('starts nobody where the last generator is ready only after another one was lost', async () => {
    const { transport, settled } = await started();
    transport.say[0]?.({ kind: 'fault', message: 'A generator died: out of memory' });
    transport.say[1]?.({ kind: 'ready' });
    expect(await settled()).toMatchObject({ state: 'failed', note: 'A generator died: out of memory' });
    expect(transport.sent.flat().some((message) => message.kind === 'start')).toBe(false);
  });

  it('writes a lease before its rows leave, and takes back what nobody got', async () => {
    const { store, transport, conductor, run, settled } = await started();
    transport.all({ kind: 'ready' });
    transport.say[1]?.({ kind: 'lease', table: 'd', count: 4 });
    await settled();
    transport.say[1]?.({ kind: 'unused', table: 'd', rows: [3, 4] });
    await settled();
    expect(store.rowLog).toEqual(['leased 4 to run 1', 'rows left for generator 1', 'released 3,4 of run 1']);
    await conductor.need(run.id).abort();
  });

  it('is done when the last generator has ended, and judges the frames of all', async () => {
    const { store, transport, run, settled } = await started();
    transport.all({ kind: 'ready' });
    for (const second of [0, 1, 2]) transport.say.forEach((say, generator) => say({ kind: 'frame', frame: frame(generator, second) }));
    transport.say[0]?.({ kind: 'ended' });
    expect(await settled()).toMatchObject({ state: 'running' });
    transport.say[1]?.({ kind: 'ended' });
    expect(await settled()).toMatchObject({ state: 'done', verdict: 'held' });
    expect(store.framesSaved).toHaveLength(6);
    expect(transport.closed).toBe(2);
    const result = runResult(store.runsSaved.at(-1) ?? run, store.framesSaved, [script]);
    expect(result.rows[0]?.summary).toMatchObject({ count: 6, meanMs: 15 });
    expect(result.iterationsPassed).toBe(6);
  });

  it('goes on while the disk under the database is full, says so, and loses nothing once there is room', async () => {
    const { store, transport, conductor, run, settled } = await started();
    transport.all({ kind: 'ready' });
    await settled();
    const { saveFrames, saveRun } = store;
    const full = () => Promise.reject(new Error('could not extend file "base/5/16434": No space left on device'));
    Object.assign(store, { saveFrames: full, saveRun: full });
    for (const second of [0, 1, 2]) transport.say.forEach((say, generator) => say({ kind: 'frame', frame: frame(generator, second) }));
    transport.all({ kind: 'ended' });
    await settled();
    const said = () => (conductor.current?.events ?? []).map((event) => event.text);
    // It is live until its figures are stored, and its verdict rests on all of them.
    expect(said()).toEqual(['figures cannot be stored (No space left on device) and wait in memory; make room, and they are stored']);
    expect(store.framesSaved).toEqual([]);
    Object.assign(store, { saveFrames, saveRun });
    while (conductor.current) await settled();
    expect(store.framesSaved.map((saved) => [saved.second, saved.generator])).toEqual(
      [0, 1, 2].flatMap((second) => [0, 1].map((generator) => [second, generator])),
    );
    const ended = store.runsSaved.at(-1);
    expect(ended).toMatchObject({ id: run.id, state: 'done', verdict: 'held' });
    expect(ended?.events?.at(-1)?.text).toBe('figures are stored again; nothing was lost');
  });

  it('that cannot store anything ends when it is aborted', async () => {
    const { store, transport, conductor, run, settled } = await started();
    transport.all({ kind: 'ready' });
    await settled();
    Object.assign(store, {
      saveFrames: () => Promise.reject(new Error('No space left on device')),
      saveRun: () => Promise.reject(new Error('full')),
    });
    transport.say[0]?.({ kind: 'frame', frame: frame(0, 0) });
    transport.all({ kind: 'ended' });
    await settled();
    expect(conductor.current?.id).toBe(run.id);
    await conductor.need(run.id).abort();
    expect(conductor.current).toBeNull();
  });

  it('gives no verdict that rests on a part of the figures', async () => {
    const { store, transport, conductor, run, settled, live } = await started();
    transport.all({ kind: 'ready' });
    await settled();
    for (const second of [0, 1]) transport.say.forEach((say, generator) => say({ kind: 'frame', frame: frame(generator, second) }));
    await settled();
    Object.assign(store, { saveFrames: () => Promise.reject(new Error('No space left on device')) });
    transport.say.forEach((say, generator) => say({ kind: 'frame', frame: frame(generator, 2) }));
    transport.all({ kind: 'ended' });
    await settled();
    await conductor.need(run.id).abort();
    expect(live().at(-1)).toMatchObject({
      state: 'failed',
      verdict: 'none',
      note: expect.stringMatching(/not all be stored: \d+ entries are missing/) as string,
    });
  });

  it('starts all generators at the same moment, each told by its own clock', async () => {
    const { transport, conductor, run, settled } = await started();
    transport.all({ kind: 'ready' });
    const starts = transport.sent.flat().flatMap((message) => (message.kind === 'start' ? message.atMs : []));
    // The clock of the second one is a second ahead, which is known to half of the time between question and answer.
    const apart = (starts[1] ?? 0) - (starts[0] ?? 0);
    const generators = (await settled())?.generators ?? [];
    expect(generators).toHaveLength(2);
    const unsure = generators.reduce((sum, generator) => sum + generator.uncertaintyMs, 0);
    expect(Math.abs(apart - 1000)).toBeLessThanOrEqual(unsure);
    await conductor.need(run.id).abort();
  });

  it('lets those go on who meet, counted over all generators, and who left counts no more', async () => {
    const { transport, conductor, run } = await started();
    transport.all({ kind: 'ready' });
    const came = (generator: number, who: string, users: number) => transport.say[generator]?.({ kind: 'came', step: 'm', who, users });
    const gone = () => transport.sent.map((messages) => messages.flatMap((message) => (message.kind === 'go' ? message.who : [])));
    came(0, '0:1', 3);
    came(1, '1:1', 3);
    transport.say[0]?.({ kind: 'left', step: 'm', who: '0:1' });
    came(0, '0:2', 3);
    expect(gone()).toEqual([[], []]);
    came(1, '1:2', 3);
    expect(gone()).toEqual([
      ['1:1', '0:2', '1:2'],
      ['1:1', '0:2', '1:2'],
    ]);
    // More than there are users never come: all five are enough.
    for (const who of ['1', '2', '3', '4', '5']) came(Number(who) % 2, who, 500);
    expect(gone()[0]?.slice(3)).toEqual(['1', '2', '3', '4', '5']);
    await conductor.need(run.id).abort();
  });

  it('goes on without a lost generator, says so, and believes no less of what the others measured', async () => {
    const { store, transport, settled } = await started();
    transport.all({ kind: 'ready' });
    for (const generator of [0, 1]) transport.say[generator]?.({ kind: 'frame', frame: frame(generator, 0) });
    transport.say[0]?.({ kind: 'fault', message: 'A generator died: out of memory' });
    // What comes of it afterwards is an echo; its end does not end the run.
    transport.say[0]?.({ kind: 'fault', message: 'A generator ended before the run did.' });
    expect(await settled()).toMatchObject({ state: 'running', generators: [{ lost: 'A generator died: out of memory' }, { lost: null }] });
    transport.say[1]?.({ kind: 'frame', frame: frame(1, 1) });
    transport.say[1]?.({ kind: 'frame', frame: frame(1, 2) });
    transport.say[1]?.({ kind: 'ended' });
    const ended = await settled();
    if (!ended) throw new Error('the run is not kept');
    expect(ended).toMatchObject({ state: 'done', events: [{ kind: 'lost', text: 'generator 1 was lost with its 2 users' }] });
    const result = runResult(ended, store.framesSaved, [script]);
    expect(result.rows[0]?.summary.count).toBe(4);
    expect(result.trust).toContainEqual({
      good: false,
      sentence: 'Generator 1 was lost: A generator died: out of memory. Its users are missing from then on.',
    });
  });

  it('asks those who need rows to wait while none can be leased, and says so once', async () => {
    const { store, transport, conductor, run, settled } = await started();
    transport.all({ kind: 'ready' });
    const { leaseRows } = store;
    store.leaseRows = () => Promise.reject(new Error('could not extend file "base/5/16434": No space left on device'));
    const answers = () => transport.sent[1]?.flatMap((message) => (message.kind === 'rows' ? [[message.rows.length, message.more]] : []));
    for (let ask = 0; ask < 2; ask++) {
      transport.say[1]?.({ kind: 'lease', table: 'd', count: 4 });
      await settled();
    }
    store.leaseRows = leaseRows;
    for (let ask = 0; ask < 3; ask++) {
      transport.say[1]?.({ kind: 'lease', table: 'd', count: 4 });
      await settled();
    }
    expect(answers()).toEqual([
      [0, 'not-now'],
      [0, 'not-now'],
      [4, 'perhaps'],
      [4, 'perhaps'],
      [2, 'none-left'],
    ]);
    expect(conductor.current?.events?.map(({ text }) => text)).toEqual([
      'data rows cannot be leased now (could not extend file "base/5/16434": No space left on device); users who need one wait',
      'data rows can be leased again',
    ]);
    await conductor.need(run.id).abort();
  });

  it('waits no longer for the figures of a silent generator, and takes in what it tells later', async () => {
    const { store, transport, conductor, run, settled, live } = await started();
    transport.all({ kind: 'ready' });
    transport.say[0]?.({ kind: 'frame', frame: frame(0, 0) });
    transport.quietMs[1] = 6000;
    await new Promise((done) => setTimeout(done, 400));
    expect(conductor.current?.events).toMatchObject([{ kind: 'silent', generator: 1 }]);
    transport.quietMs[1] = 0;
    await new Promise((done) => setTimeout(done, 400));
    transport.say[1]?.({ kind: 'frame', frame: frame(1, 0) });
    transport.all({ kind: 'ended' });
    expect(await settled()).toMatchObject({
      state: 'done',
      events: [{ kind: 'silent' }, { kind: 'heard', generator: 1, silentSeconds: 6 }],
    });
    expect(runResult(live().at(-1) ?? run, store.framesSaved, [script]).rows[0]?.summary.count).toBe(2);
  });

  it('is aborted as soon as all have dropped what was under way', async () => {
    const { transport, conductor, run } = await started();
    transport.all({ kind: 'ready' });
    const aborted = conductor.need(run.id).abort();
    transport.all({ kind: 'frame', frame: frame(0, 0) });
    transport.all({ kind: 'ended' });
    const first = await Promise.race([aborted.then(() => 'aborted'), new Promise((done) => setTimeout(() => done('still waits'), 200))]);
    expect(first).toBe('aborted');
  });

  it('hands the users of a lost generator to the others where the workload says so', async () => {
    const { transport, conductor, run } = await started({ takesOver: true });
    transport.all({ kind: 'ready' });
    transport.say[1]?.({
      kind: 'frame',
      frame: { ...frame(1, 0), users: [{ user: 3, crew: 'c', state: 'working', iteration: 7, step: null, row: null, lastError: null }] },
    });
    transport.say[1]?.({ kind: 'fault', message: 'gone' });
    const last = transport.sent[0]?.at(-1);
    expect(last).toMatchObject({ kind: 'users', crew: 'c', share: 1, come: [{ user: 1 }, { user: 3, iteration: 7 }, { user: 5 }] });
    // Those who go later are asked for where they are now.
    conductor.need(run.id).changeUsers('c', 3);
    expect(transport.sent[0]?.at(-1)).toMatchObject({ kind: 'users', go: [3, 5] });
    await conductor.need(run.id).abort();
  });

  it('passes over the rest of a phase, and judges the hold where it came', async () => {
    const curve = {
      kind: 'ramp' as const,
      together: 1,
      rampUpSeconds: 60,
      holdSeconds: 30,
      rampDownSeconds: 10,
      atEnd: 'iteration' as const,
    };
    const { transport, conductor, run, settled } = await started({ curve });
    transport.all({ kind: 'ready' });
    conductor.need(run.id).nextPhase();
    const skip = transport.sent[1]?.at(-1);
    expect(skip).toMatchObject({ kind: 'skip' });
    expect(skip?.kind === 'skip' ? skip.seconds : 0).toBeCloseTo(60, 0);
    conductor.need(run.id).nextPhase();
    expect(() => {
      conductor.need(run.id).nextPhase();
    }).toThrow(/No phase comes after this one/);
    transport.all({ kind: 'ended' });
    const ended = await settled();
    if (!ended) throw new Error('the run is not kept');
    expect(ended.events?.map((event) => event.text)).toEqual(['ramp-up cut short, hold begins', 'hold cut short, ramp-down begins']);
    const played = { ...ended, events: [{ second: 5, kind: 'phase' as const, text: '', skippedSeconds: 55 }] };
    const frames = Array.from({ length: 46 }, (_, second) => frame(0, second));
    expect(runResult(played, frames, [script]).period).toEqual({ fromSecond: 5, toSecond: 35 });
    expect(runResult({ ...played, events: [] }, frames, [script]).period).toEqual({ fromSecond: 60, toSecond: 60 });
  });

  it('tells what a watched user does, keeps what is captured of it, and forgets who was only looked at before', async () => {
    const captured: UserLogEntry[] = [];
    const { transport, conductor, run } = await started(
      {},
      { keep: () => undefined, end: () => Promise.resolve(), capture: (_, entries) => captured.push(...entries) },
    );
    transport.all({ kind: 'ready' });
    conductor.need(run.id).watch(3, true);
    for (const user of [1, 2, 4, 5, 6, 7, 3]) conductor.need(run.id).watch(user, false);
    expect(transport.sent[0]?.at(-1)).toEqual({
      kind: 'watch',
      users: [3, 2, 4, 5, 6, 7].map((user) => ({ user, captures: user === 3 })),
    });
    const entry = (user: number, exchange: UserLogEntry['exchange']): UserLogEntry => ({
      user,
      atMs: 1,
      iteration: 1,
      transaction: 'T',
      step: 's1',
      status: 200,
      durationMs: 5,
      failure: null,
      exchange,
    });
    const exchange = { user: 3, requestText: '', responseText: 'ok' } as UserLogEntry['exchange'];
    transport.say[1]?.({ kind: 'log', entries: [entry(2, null), entry(3, exchange)] });
    expect(captured).toEqual([entry(3, exchange)]);
    await conductor.need(run.id).abort();
  });

  it('fails the run with the reason where all generators die, or one before it began', async () => {
    const { store, transport, conductor, settled } = await started();
    transport.all({ kind: 'ready' });
    transport.say[1]?.({ kind: 'fault', message: 'A generator died: out of memory' });
    transport.say[0]?.({ kind: 'fault', message: 'A generator died: out of memory' });
    expect(await settled()).toMatchObject({ state: 'failed', verdict: 'none', note: 'A generator died: out of memory' });
    transport.say[1]?.({ kind: 'frame', frame: frame(1, 1) });
    expect(store.framesSaved).toEqual([]);
    expect(conductor.current).toBeNull();
    const early = await started();
    early.transport.say[0]?.({ kind: 'fault', message: 'The plan is no plan.' });
    expect(await early.settled()).toMatchObject({ state: 'failed', note: 'The plan is no plan.' });
  });

  it('finishes early where a table runs out and its deal says so, and keeps the reason', async () => {
    const { transport, settled } = await started();
    transport.all({ kind: 'ready' });
    transport.say[0]?.({ kind: 'end-run', reason: 'A data table has no free row left.' });
    expect(transport.sent.map((messages) => messages.at(-1)?.kind)).toEqual(['finish', 'finish']);
    transport.all({ kind: 'ended' });
    expect(await settled()).toMatchObject({ state: 'done', note: 'A data table has no free row left.' });
  });

  it('finishes early where a stop rule fires on the figures of all generators, or the time limit is reached', async () => {
    const stopRules = [{ id: 'r', measure: 'mean' as const, transaction: 'T', limit: 14, forSeconds: 2 }];
    const ruled = await started({ stopRules });
    ruled.transport.all({ kind: 'ready' });
    const second = (number: number) => {
      ruled.transport.say.forEach((say, generator) => say({ kind: 'frame', frame: frame(generator, number) }));
      return ruled.transport.sent.map((messages) => messages.at(-1)?.kind);
    };
    // The means of both generators are 10 and 20 ms, of all 15 ms.
    expect(second(0)).toEqual(['start', 'start']);
    expect(second(1)).toEqual(['finish', 'finish']);
    ruled.transport.all({ kind: 'ended' });
    expect(await ruled.settled()).toMatchObject({ state: 'done', note: expect.stringContaining('above 14 ms for 2 s') as string });

    const limited = await started({ limitSeconds: 0.02 });
    limited.transport.all({ kind: 'ready' });
    await limited.settled();
    expect(limited.transport.sent.map((messages) => messages.at(-1)?.kind)).toEqual(['finish', 'finish']);
    await limited.conductor.need(limited.run.id).abort();
  });

  it('changes the users of a crew while it is live, pauses, and keeps what happened with its second', async () => {
    const { transport, conductor, run, settled } = await started();
    expect(() => {
      conductor.need(run.id).changeUsers('c', 7);
    }).toThrow(/not running|while the run is running/);
    transport.all({ kind: 'ready' });
    conductor.need(run.id).changeUsers('c', 7);
    const last = () => transport.sent.map((messages) => messages.at(-1));
    // New users have numbers that nobody had, each on the generator of its number.
    expect(last()).toEqual([
      { kind: 'users', crew: 'c', come: [{ place: 5, user: 6 }], go: [] },
      { kind: 'users', crew: 'c', come: [{ place: 6, user: 7 }], go: [] },
    ]);
    conductor.need(run.id).changeUsers('c', 4);
    expect(last()).toMatchObject([{ go: [6] }, { go: [5, 7] }]);
    conductor.need(run.id).changeUsers('c', 5);
    expect(last()).toMatchObject([{ come: [{ user: 8 }] }, { come: [] }]);
    conductor.need(run.id).pause();
    conductor.need(run.id).resume();
    conductor.need(run.id).note('cache emptied');
    transport.all({ kind: 'ended' });
    const ended = await settled();
    if (!ended) throw new Error('the run is not kept');
    expect(ended.events?.map((event) => event.text)).toEqual([
      'C: 5 → 7 users',
      'C: 7 → 4 users',
      'C: 4 → 5 users',
      'paused',
      'went on',
      'cache emptied',
    ]);
    expect(runResult(ended, [frame(0, 0)], [script]).trust).toContainEqual({
      good: false,
      sentence: 'The load was changed by hand 4 times: it is not the one that was planned.',
    });
  });

  it('does not start on what cannot be played: no free row, a foreign target, a second run', async () => {
    const store = new FakeStore();
    store.free = 0;
    const conductor = new Conductor(store as unknown as Store, compute, new LiveHub(), new FakeTransport(store));
    await expect(conductor.start(workload, environment)).rejects.toThrow(/“D” has no free row/);
    await expect(conductor.start(workload, { ...environment, targets: [] })).rejects.toThrow(/is not a target of the environment/);
    await expect(conductor.start({ ...workload, crews: [] }, environment)).rejects.toThrow(/has no crew/);
    const busy = await started();
    await expect(busy.conductor.start(workload, environment)).rejects.toThrow(/Run 1 is still live/);
    await busy.conductor.need(busy.run.id).abort();
  });
});
