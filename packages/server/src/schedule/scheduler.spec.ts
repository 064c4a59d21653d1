import { ScheduleSchema, type Run, type Schedule, type ScheduledStart } from '@sturdy/core';
import { Problem } from '../problem/problem.js';
import type { Told } from '../notice/notices.js';
import { TestClock } from '../test/test-clock.js';
import { Scheduler, type SchedulerGround } from './scheduler.js';

const minute = 60_000;
const berlin = (repetition: Schedule['repetition'], more: Partial<Schedule> = {}): Schedule =>
  ScheduleSchema.parse({
    id: 's1',
    projectId: 'p1',
    name: 'Nightly',
    workloadId: 'w1',
    environmentId: 'e1',
    zone: 'Europe/Berlin',
    repetition,
    notify: ['g1'],
    ...more,
  });
const daily = (time: string): Schedule['repetition'] => ({
  kind: 'weekly',
  days: [1, 2, 3, 4, 5, 6, 7],
  time,
  from: '2026-01-01',
  until: null,
});

/** What a server keeps: it stays where a scheduler is ended and another one begins. */
function keptServer(schedule: Schedule, consideredUntil: string) {
  const kept = {
    schedule,
    consideredUntilMs: Date.parse(consideredUntil),
    starts: new Map<string, ScheduledStart>(),
    runs: new Map<string, Run>(),
    live: null as Run | null,
    ready: true,
    looked: [] as number[],
    begun: [] as string[],
    told: [] as Told[],
    hasWorkload: true,
    /** What goes wrong in looking at readiness; null where nothing does. */
    fault: null as Error | null,
    refusal: null as Problem | null,
  };
  const clock = new TestClock(Date.parse(consideredUntil));
  const ground = {
    services: {
      store: {
        activeSchedules: () => Promise.resolve([{ schedule: kept.schedule, consideredUntilMs: kept.consideredUntilMs }]),
        schedules: () => Promise.resolve([kept.schedule]),
        saveConsidered: (_id: string, until: string) => Promise.resolve(void (kept.consideredUntilMs = Date.parse(until))),
        scheduledStart: (id: string) => Promise.resolve(kept.starts.get(id) ?? null),
        saveScheduledStart: (start: ScheduledStart) => Promise.resolve(void kept.starts.set(start.id, start)),
        openStarts: () => Promise.resolve([...kept.starts.values()].filter(({ state }) => state === 'beginning' || state === 'began')),
        workload: () => Promise.resolve(kept.hasWorkload ? { id: 'w1', name: 'Peak hour' } : null),
        run: (id: string) => Promise.resolve(kept.runs.get(id) ?? null),
      },
      conductor: {
        get current() {
          return kept.live;
        },
      },
      projects: { need: () => Promise.resolve({ id: 'p1', name: 'Tidewell' }) },
    },
    starter: {
      start: () => {
        if (kept.refusal) return Promise.reject(kept.refusal);
        kept.begun.push(new Date(clock.now()).toISOString());
        const run = { id: `r${kept.begun.length}`, projectId: 'p1', number: kept.begun.length, endedAt: null, state: 'running' } as Run;
        kept.runs.set(run.id, run);
        kept.live = run;
        return Promise.resolve(run);
      },
    },
    readiness: {
      look: (_schedule: Schedule, _workload: unknown, _start: number, nowMs: number) => {
        kept.looked.push(nowMs);
        if (kept.fault) return Promise.reject(kept.fault);
        return Promise.resolve({
          at: new Date(nowMs).toISOString(),
          points: [
            {
              kind: 'target' as const,
              state: kept.ready ? ('good' as const) : ('bad' as const),
              text: kept.ready ? 'It answers.' : 'It is away.',
            },
          ],
        });
      },
    },
    notices: { tell: (_groups: readonly string[], told: Told) => Promise.resolve(void kept.told.push(told)) },
    runs: {
      measured: (run: Run) =>
        Promise.resolve({
          result: {
            run: { ...run, workload: { name: 'Peak hour' }, note: null },
            criteria: [],
            hostCriteria: [],
            trust: [],
            iterationsPassed: 9,
            iterationsFailed: 0,
          },
          frames: [],
          hosts: [],
        }),
      findings: () => Promise.resolve([]),
    },
    clock,
    warn: () => undefined,
  } as unknown as SchedulerGround;
  return { kept, clock, ground };
}

/** Lets time pass in steps of so long, with a look after each. */
async function pass(scheduler: Scheduler, clock: TestClock, until: string, stepMs = 20_000): Promise<void> {
  while (clock.now() < Date.parse(until)) {
    clock.move(Math.min(stepMs, Date.parse(until) - clock.now()));
    await scheduler.tick();
    await new Promise((done) => setImmediate(done));
  }
}
const kindsOf = (told: readonly Told[]) => told.map(({ kind }) => kind);
const statesOf = (starts: ReadonlyMap<string, ScheduledStart>) => [...starts.values()].map(({ at, state }) => [at, state]);

describe('the scheduler', () => {
  // Both changes of daylight saving in the Union (Directive 2000/84/EC): last Sundays of March and October, 01:00 UTC.
  it('begins once each night across both changes of the clocks, at the time on the wall', async () => {
    for (const [from, until, expected] of [
      [
        '2026-03-27T20:00:00Z',
        '2026-03-30T20:00:00Z',
        ['2026-03-28T01:30:00.000Z', '2026-03-29T01:00:00.000Z', '2026-03-30T00:30:00.000Z'],
      ],
      [
        '2026-10-23T20:00:00Z',
        '2026-10-26T20:00:00Z',
        ['2026-10-24T00:30:00.000Z', '2026-10-25T00:30:00.000Z', '2026-10-26T01:30:00.000Z'],
      ],
    ] as const) {
      const { kept, clock, ground } = keptServer(berlin(daily('02:30')), from);
      const scheduler = new Scheduler(ground);
      for (const start of expected) {
        await pass(scheduler, clock, new Date(Date.parse(start) - 30 * minute).toISOString(), 10 * minute);
        await pass(scheduler, clock, new Date(Date.parse(start) + 90 * minute).toISOString(), 50_000);
      }
      await pass(scheduler, clock, until, 10 * minute);
      expect(kept.begun).toEqual(expected);
      expect(kept.looked).toHaveLength(3);
      expect(kindsOf(kept.told).filter((kind) => kind === 'missed')).toEqual([]);
    }
  });

  it('looks before the start whether it can begin, tells while there is time, and looks again until it can', async () => {
    const { kept, clock, ground } = keptServer(berlin(daily('02:30')), '2026-12-01T00:00:00Z');
    const scheduler = new Scheduler(ground);
    kept.ready = false;
    await pass(scheduler, clock, '2026-12-01T01:09:00Z');
    expect(kept.looked).toEqual([]);
    await pass(scheduler, clock, '2026-12-01T01:17:00Z');
    // 20 minutes before, and once more after five.
    expect(kept.looked.map((ms) => new Date(ms).toISOString())).toEqual(['2026-12-01T01:10:00.000Z', '2026-12-01T01:15:00.000Z']);
    expect(kindsOf(kept.told)).toEqual(['not ready']);
    expect(JSON.stringify(kept.told[0]?.document)).toContain('in 20 min');
    expect(JSON.stringify(kept.told[0]?.document)).toContain('It is away.');
    kept.ready = true;
    await pass(scheduler, clock, '2026-12-01T01:31:00Z');
    expect(kept.begun).toEqual(['2026-12-01T01:30:00.000Z']);
    expect(kindsOf(kept.told)).toEqual(['not ready', 'began']);
  });

  it('leaves a start out that is not ready, or begins it nevertheless where that is wanted', async () => {
    for (const [whenNotReady, begun, told] of [
      ['leave out', 0, ['not ready', 'left out']],
      ['begin', 1, ['not ready', 'began']],
    ] as const) {
      const { kept, clock, ground } = keptServer(berlin(daily('02:30'), { whenNotReady }), '2026-12-01T01:00:00Z');
      kept.ready = false;
      await pass(new Scheduler(ground), clock, '2026-12-01T01:31:00Z');
      expect(kept.begun).toHaveLength(begun);
      expect(kindsOf(kept.told)).toEqual(told);
    }
  });

  it('misses what was due while the machine slept, tells it, and goes on without catching up', async () => {
    const { kept, clock, ground } = keptServer(berlin(daily('02:30')), '2026-12-01T00:00:00Z');
    const scheduler = new Scheduler(ground);
    await pass(scheduler, clock, '2026-12-01T01:00:00Z');
    // Asleep for two nights and a half.
    await pass(scheduler, clock, '2026-12-03T12:00:00Z', 59 * 3600_000);
    expect(kept.begun).toEqual([]);
    expect(kindsOf(kept.told)).toEqual(['missed', 'missed', 'missed']);
    await pass(scheduler, clock, '2026-12-04T01:31:00Z');
    expect(kept.begun).toEqual(['2026-12-04T01:30:00.000Z']);
    expect(statesOf(kept.starts)).toEqual([
      ['2026-12-01T01:30:00.000Z', 'missed'],
      ['2026-12-02T01:30:00.000Z', 'missed'],
      ['2026-12-03T01:30:00.000Z', 'missed'],
      ['2026-12-04T01:30:00.000Z', 'began'],
    ]);
  });

  it('counts what was missed in a month instead of telling each', async () => {
    const { kept, clock, ground } = keptServer(berlin(daily('02:30')), '2026-12-01T00:00:00Z');
    await pass(new Scheduler(ground), clock, '2026-12-31T12:00:00Z', 31 * 86_400_000);
    expect(kindsOf(kept.told)).toHaveLength(10);
    expect([...kept.starts.values()][0]?.text).toContain('21 earlier starts were missed, too.');
  });

  it('begins a start that is a little late, which a busy machine may make it', async () => {
    const { kept, clock, ground } = keptServer(berlin(daily('02:30')), '2026-12-01T01:29:30Z');
    await pass(new Scheduler(ground), clock, '2026-12-01T01:30:50Z', 80_000);
    expect(kept.begun).toEqual(['2026-12-01T01:30:50.000Z']);
  });

  it('begins nothing twice where the server is killed at any moment, and says what it does not know', async () => {
    const { kept, clock, ground } = keptServer(berlin(daily('02:30')), '2026-12-01T01:29:00Z');
    // Killed while the run is started: nobody hears of it any more.
    const cut = { ...ground, starter: { start: () => new Promise<Run>(() => undefined) } };
    clock.move(70_000);
    const before = new Scheduler(cut);
    await before.lookNow(kept.schedule, {
      planned: '2026-12-01T01:30:00.000Z',
      ms: Date.parse('2026-12-01T01:30Z'),
      wallTime: '02:30',
      clock: 'plain',
      change: null,
    });
    void before.tick();
    await new Promise((done) => setTimeout(done, 50));
    expect(statesOf(kept.starts)).toEqual([['2026-12-01T01:30:00.000Z', 'beginning']]);
    const after = new Scheduler(ground);
    await pass(after, clock, '2026-12-01T01:40:00Z');
    expect(kept.begun).toEqual([]);
    expect(statesOf(kept.starts)).toEqual([['2026-12-01T01:30:00.000Z', 'missed']]);
    expect([...kept.starts.values()][0]?.text).toContain('Look at the runs whether it did');
  });

  it('leaves a start out where another run is live or nothing may run, with the reason', async () => {
    const { kept, clock, ground } = keptServer(berlin(daily('02:30')), '2026-12-01T01:29:00Z');
    kept.refusal = new Problem(409, 'A run is live', 'Run 7 is still live.');
    await pass(new Scheduler(ground), clock, '2026-12-01T01:31:00Z');
    expect([...kept.starts.values()].map(({ state, text }) => [state, text])).toEqual([['left out', 'Run 7 is still live.']]);
    expect(kindsOf(kept.told)).toEqual(['left out']);
  });

  it('lets a canceled start pass, a put off one begin at its new time, and a paused schedule rest', async () => {
    const changes = [
      { planned: '2026-12-01T01:30:00.000Z', to: null, by: 'Mara' },
      { planned: '2026-12-02T01:30:00.000Z', to: '2026-12-02T05:00:00.000Z', by: 'Mara' },
    ];
    const { kept, clock, ground } = keptServer(berlin(daily('02:30'), { changes }), '2026-12-01T01:00:00Z');
    const scheduler = new Scheduler(ground);
    await pass(scheduler, clock, '2026-12-02T06:00:00Z', minute);
    expect(kept.begun).toEqual(['2026-12-02T05:00:00.000Z']);
    expect(statesOf(kept.starts)[0]).toEqual(['2026-12-01T01:30:00.000Z', 'canceled']);
    kept.schedule = { ...kept.schedule, isPaused: true };
    await pass(scheduler, clock, '2026-12-04T06:00:00Z', 10 * minute);
    expect(kept.begun).toHaveLength(1);
  });

  it('tells the verdict once the run has ended, once, with the run whose report goes with it', async () => {
    const { kept, clock, ground } = keptServer(berlin(daily('02:30')), '2026-12-01T01:25:00Z');
    const scheduler = new Scheduler(ground);
    await pass(scheduler, clock, '2026-12-01T01:35:00Z');
    expect(kindsOf(kept.told)).toEqual(['began']);
    kept.live = null;
    const ended = { ...kept.runs.get('r1'), state: 'done', verdict: 'missed', endedAt: '2026-12-01T01:36:00Z' } as Run;
    kept.runs.set('r1', ended);
    await pass(scheduler, clock, '2026-12-01T01:40:00Z');
    expect(kindsOf(kept.told)).toEqual(['began', 'verdict']);
    expect(kept.told[1]).toMatchObject({
      runId: 'r1',
      path: '/runs/r1',
      document: { title: 'Run 1 of “Peak hour”: criteria were missed' },
    });
    expect(statesOf(kept.starts)).toEqual([['2026-12-01T01:30:00.000Z', 'ended']]);
  });

  it('looks at a start that nobody had time to look at before, and keeps what was found where it is left out', async () => {
    const { kept, clock, ground } = keptServer(berlin(daily('02:30')), '2026-12-01T01:29:55Z');
    kept.ready = false;
    await pass(new Scheduler(ground), clock, '2026-12-01T01:30:05Z');
    const [start] = kept.starts.values();
    expect(start).toMatchObject({
      state: 'left out',
      text: 'It was not ready to begin.',
      readiness: { points: [{ text: 'It is away.' }] },
    });
    expect(kindsOf(kept.told)).toEqual(['not ready', 'left out']);
    expect(JSON.stringify(kept.told[1]?.document)).toContain('It is away.');
  });

  it('leaves a start out, and tells it, where looking itself goes wrong', async () => {
    const { kept, clock, ground } = keptServer(berlin(daily('02:30')), '2026-12-01T01:29:55Z');
    kept.fault = new Error('The database does not answer.');
    await pass(new Scheduler(ground), clock, '2026-12-01T01:31:00Z');
    expect([...kept.starts.values()].map(({ state, text }) => [state, text])).toEqual([['left out', 'The database does not answer.']]);
    expect(kindsOf(kept.told)).toEqual(['left out']);
  });

  it('leaves a start out whose workload was deleted', async () => {
    const { kept, clock, ground } = keptServer(berlin(daily('02:30')), '2026-12-01T01:25:00Z');
    kept.hasWorkload = false;
    await pass(new Scheduler(ground), clock, '2026-12-01T01:31:00Z');
    expect([...kept.starts.values()].map(({ state, text }) => [state, text])).toEqual([
      ['left out', 'Its workload was deleted. Choose another one, or delete the schedule.'],
    ]);
  });
});
