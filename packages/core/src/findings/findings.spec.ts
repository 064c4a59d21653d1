import seedrandom from 'seedrandom';
import { findingsOf, plainRules, shippedHostRules, type Finding, type FindingGround, type HostSeries, type LoadCurve } from '../index.js';
import { simulate, type ClosedSystem, type SimulatedRun } from '../test/closed-system.js';
import { kneeOf } from './knee.js';
import { loadLevels } from './load-levels.js';
import { prepareGround } from './ground.js';

const staircase = (add: number, everySeconds: number): LoadCurve => ({
  kind: 'staircase',
  first: add,
  add,
  everySeconds,
  rampDownSeconds: 0,
  atEnd: 'iteration',
});
const hold = (holdSeconds: number, rampUpSeconds = 5): LoadCurve => ({
  kind: 'ramp',
  together: 1,
  rampUpSeconds,
  holdSeconds,
  rampDownSeconds: 0,
  atEnd: 'iteration',
});
/** Two workers of 40 ms and pauses of 300 ms: N* = c · (S + Z) / S = 17 (Lazowska and others 1984, chapter 5). */
const small = { workers: 2, serviceSeconds: 0.04, thinkSeconds: 0.3 };
const steady: ClosedSystem = { ...small, users: 8, curve: hold(240), seed: 'steady' };

const groundOf = (simulated: SimulatedRun, more: Partial<FindingGround> = {}): FindingGround => ({
  ...simulated,
  rules: plainRules,
  capacityPercent: null,
  baseline: null,
  random: seedrandom('bootstrap'),
  ...more,
});
const found = (system: ClosedSystem, more: Partial<FindingGround> = {}) => findingsOf(groundOf(simulate(system), more));
const ofKind = (findings: readonly Finding[], kind: Finding['kind']) => findings.filter((finding) => finding.kind === kind);

describe('where service turns', () => {
  it('is told with an interval that holds the computed turn in at least 18 of 20 seeded runs', () => {
    let inside = 0;
    for (let n = 0; n < 20; n++) {
      const ground = groundOf(simulate({ ...small, users: 40, curve: staircase(4, 30), seed: `turn ${n}` }));
      const knee = kneeOf(loadLevels(prepareGround(ground)), seedrandom(`draw ${n}`), 60);
      if (knee && knee.users.low <= 17 && knee.users.high >= 17 && knee.users.high - knee.users.low < 6) inside++;
    }
    expect(inside).toBeGreaterThanOrEqual(18);
  });

  it('is the first sentence of a staircase that climbed over it, with response time and, by the share of the environment, production', () => {
    const findings = found({ ...small, users: 40, curve: staircase(4, 30), seed: 'turn' }, { capacityPercent: 50 });
    expect(findings[0]?.sentence).toMatch(/^Service turns at about 1[67](\.\d)? users \(95 % sure: /);
    expect(findings[0]?.fromSecond).toBeGreaterThan(90);
    expect(findings[0]?.chart?.points).toHaveLength(10);
    expect(ofKind(findings, 'production')[0]?.sentence).toMatch(/^In production, service would turn at about 3[345](\.\d)? users/);
    // Beyond the turn each user more waits for one service of a worker: S / c = 20 ms (the asymptote of response time).
    const response = findings.find(({ id }) => id === 'turning-response')?.sentence;
    expect(Number(/adds ([\d.]+) ms/.exec(response ?? '')?.[1])).toBeGreaterThan(17);
    expect(Number(/adds ([\d.]+) ms/.exec(response ?? '')?.[1])).toBeLessThan(22);
  });

  it('is not told of a staircase that stays below it', () => {
    const [turning, ...more] = ofKind(found({ ...small, users: 10, curve: staircase(2, 20), seed: 'below' }), 'turning-point');
    expect(turning).toMatchObject({
      severity: 'fact',
      sentence: expect.stringMatching(/^With 10 users throughput was still growing/) as string,
    });
    expect(more).toEqual([]);
  });

  it('is told in spite of a level at which the machine stood still', () => {
    const simulated = simulate({ ...small, users: 40, curve: staircase(4, 30), seed: 'hiccup' });
    for (const stood of [0, 4]) {
      const frames = simulated.frames.map((frame) =>
        Math.floor(frame.second / 30) === stood && frame.second % 30 !== 20 ? { ...frame, iterationsPassed: 0 } : frame,
      );
      const knee = kneeOf(loadLevels(prepareGround(groundOf({ ...simulated, frames }))), seedrandom('draw'), 60);
      expect(knee?.users.low).toBeLessThanOrEqual(17);
      expect(knee?.users.high).toBeGreaterThanOrEqual(17);
      expect(knee?.stoodStill.map(({ fromSecond }) => Math.floor(fromSecond / 30))).toEqual([stood]);
    }
  });

  it('is told in spite of users who went home before the last step', () => {
    const simulated = simulate({ ...small, users: 40, curve: staircase(4, 30), seed: 'home' });
    const frames = simulated.frames.map((frame) => (frame.second >= 270 ? { ...frame, activeUsers: 0 } : frame));
    const knee = kneeOf(loadLevels(prepareGround(groundOf({ ...simulated, frames }))), seedrandom('draw'), 60);
    expect(knee?.users.low).toBeLessThanOrEqual(17);
    expect(knee?.users.high).toBeGreaterThanOrEqual(17);
    expect(knee?.stoodStill).toEqual([]);
  });

  it('is said to lie before the first step where more users never got more done', () => {
    const curve: LoadCurve = { kind: 'staircase', first: 28, add: 4, everySeconds: 30, rampDownSeconds: 0, atEnd: 'iteration' };
    const turning = ofKind(found({ ...small, users: 52, curve, seed: 'past' }), 'turning-point');
    expect(turning[0]?.sentence).toMatch(
      /^Service turns below 28 users: with 52 no more than 5\d(\.\d)? iterations a second were served, with 28 (4|5)\d/,
    );
    expect(turning.map(({ sentence }) => sentence).join()).not.toContain('still growing');
  });

  it('is told of errors that begin with the load', () => {
    const findings = found({ ...small, users: 40, curve: staircase(4, 20), seed: 'pool', fails: (waiting) => waiting > 8 });
    expect(findings.find(({ id }) => id === 'turning-errors')?.sentence).toMatch(/^From (20|24) users on transactions fail/);
  });
});

describe('laws', () => {
  it('Little’s law agrees with a run of which nothing was lost, and does not where answers of every fourth second are missing', () => {
    expect(ofKind(found(steady), 'littles-law')[0]).toMatchObject({ severity: 'fact' });
    const { frames, ...rest } = simulate(steady);
    const lossy = frames.map((frame) => ({ ...frame, items: frame.second % 4 === 0 ? [] : frame.items }));
    expect(ofKind(findingsOf(groundOf({ frames: lossy, ...rest })), 'littles-law')[0]).toMatchObject({ severity: 'notable' });
  });

  it('a queueing model predicts from baseline and processor what a single station takes', () => {
    const system = { workers: 1, serviceSeconds: 0.04, thinkSeconds: 0.4, users: 8, curve: hold(300), seed: 'station' };
    const baseline = {
      runId: 'b',
      number: 1,
      startedAt: '2026-11-23T09:00:00.000Z',
      release: null,
      transactions: [],
      iterationBusySeconds: 0.04,
      sentence: '',
    };
    const [finding] = ofKind(found(system, { baseline }), 'queueing');
    const [, predicted = NaN, measured = NaN] = (
      /predicts ([\d.]+) ms for an iteration; ([\d.]+) ms/.exec(finding?.sentence ?? '') ?? []
    ).map(Number);
    expect(finding?.severity).toBe('fact');
    expect(measured / predicted).toBeGreaterThan(0.9);
    expect(measured / predicted).toBeLessThan(1.1);
    expect(ofKind(found(system), 'queueing')).toEqual([]);
  });

  it('the scalability law names contention where throughput over users bends', () => {
    const [finding] = ofKind(found({ ...small, users: 24, curve: staircase(2, 20), seed: 'law' }), 'scalability');
    expect(finding?.sentence).toMatch(/Universal Scalability Law with [\d.]+ % contention/);
    expect(finding?.chart?.lines[0]?.points.length).toBeGreaterThan(10);
  });
});

describe('hosts', () => {
  const hostWith = (name: string, unit: string, of: (second: number) => number | null): HostSeries => ({
    id: `h/${name}`,
    host: 'Database',
    name,
    unit,
    points: Array.from({ length: 240 }, (_, second) => [second, of(second)]),
  });
  /** By rule: a figure as hosts give it, its level in a sound run and in a fault. */
  const faults: Record<string, [name: string, unit: string, sound: number, fault: number]> = {
    processor: ['processor', '%', 60, 97],
    'run-queue': ['run queue, for each processor', 'tasks', 2, 14],
    'page-faults': ['page faults', '/s', 3, 900],
    memory: ['memory in use', '%', 70, 98],
    'disk-wait': ['disk busy', '%', 20, 95],
    'disk-wait-time': ['disk wait seconds', 'seconds/s', 0.02, 2],
    sessions: ['sessions in use', '%', 60, 100],
    'lock-wait': ['lock wait', 'seconds/s', 0.01, 3],
  };

  it.each(shippedHostRules.map((rule) => [rule.id, rule] as const))(
    'the rule %s fires on a made fault, tells from when to when, and not on a sound run',
    (id, rule) => {
      const [name, unit, sound, fault] = faults[id] ?? ['', '', 0, 0];
      const during = (second: number) => second >= 100 && second < 160;
      const sick = found(steady, { hosts: [hostWith(name, unit, (second) => (during(second) ? fault : sound))] });
      expect(ofKind(sick, 'host')).toMatchObject([{ severity: rule.severity, fromSecond: 100, toSecond: 159, series: [`h/${name}`] }]);
      expect(ofKind(sick, 'host')[0]?.sentence).toContain('Response time was');
      expect(ofKind(found(steady, { hosts: [hostWith(name, unit, () => sound)] }), 'host')).toEqual([]);
      // A short peak does not count, nor do two with a gap between them.
      const peaks = hostWith(name, unit, (second) => (second % 20 < Math.min(4, rule.forSeconds - 1) ? fault : sound));
      expect(ofKind(found(steady, { hosts: [peaks] }), 'host')).toEqual([]);
    },
  );

  it('rules are data: a project may have others', () => {
    const rule = {
      ...shippedHostRules[0],
      id: 'own',
      figure: 'temperature',
      unit: '°C',
      limit: 80,
      name: 'It is hot',
      forSeconds: 10,
    } as (typeof shippedHostRules)[0];
    const hosts = [hostWith('temperature', '°C', () => 90)];
    expect(ofKind(found(steady, { hosts, rules: { ...plainRules, hostRules: [rule] } }), 'host')[0]?.sentence).toMatch(
      /^Database: it is hot\. “temperature” was above 80 °C for 239 s/,
    );
    expect(ofKind(found(steady, { hosts }), 'host')).toEqual([]);
  });

  it('what rises and falls with response time is a hint, with how much earlier it comes', () => {
    const simulated = simulate({ ...small, users: 40, curve: staircase(4, 30), seed: 'moves' });
    const [hint] = ofKind(findingsOf(groundOf(simulated)), 'moves-with');
    expect(hint?.sentence).toMatch(/^“App: processor” rises and falls with response time/);
    expect(hint?.explanation).toContain('no cause');
    const random = seedrandom('none');
    expect(ofKind(found(steady, { hosts: [hostWith('sent', 'kB/s', () => random())] }), 'moves-with')).toEqual([]);
  });

  it('that give no figures are named', () => {
    expect(ofKind(found(steady, { hosts: [] }), 'missing')[0]?.sentence).toContain('There are no figures of hosts');
    const other = found(steady, { hosts: [hostWith('processor', '%', () => 10)] });
    expect(ofKind(other, 'missing').map(({ sentence }) => sentence)).toEqual(['“App” gave no figures in this run.']);
  });
});

it('failures: kinds with count, share and time, the first one first, and what followed', () => {
  const { frames, ...rest } = simulate({ ...steady, fails: (_, second) => second > 100 && second < 110 });
  const [first] = frames.flatMap((frame) => frame.failures);
  const later = {
    ...first,
    step: 's1',
    code: 'check-text',
    subject: 'number',
    message: 'The page shows no number.',
    count: 3,
    firstSecond: 120,
    lastSecond: 130,
  } as never;
  const findings = ofKind(
    findingsOf(groundOf({ frames: frames.map((frame) => (frame.second === 130 ? { ...frame, failures: [later] } : frame)), ...rest })),
    'failures',
  );
  expect(findings.map(({ sentence }) => sentence)).toEqual([
    expect.stringMatching(
      /failures of one kind \(9\d(\.\d)? % of all\) in “Book”, POST \/intakes\/new: .*, from 01:4\d to 01:[45]\d\. It came first; another kind followed within 60 s\.$/,
    ),
    expect.stringMatching(/^3 failures of one kind .* It began \d+ s after the first kind\.$/),
  ]);
  expect(ofKind(found(steady), 'failures')).toEqual([]);
});

describe('stability over a hold', () => {
  const unstable = (slower: ClosedSystem['slower']) =>
    found({ ...steady, curve: hold(300), ...(slower ? { slower } : {}) }).filter(({ kind }) =>
      ['drift', 'rhythm', 'step-change', 'warm-up'].includes(kind),
    );

  it('tells a drift with its slope', () => {
    const [finding, ...more] = unstable((second) => 1 + second / 300);
    expect(finding).toMatchObject({
      kind: 'drift',
      severity: 'grave',
      sentence: expect.stringMatching(/^Response time rises during the hold, by \d+(\.\d+)? ms a minute/) as string,
    });
    expect(more).toEqual([]);
  });

  it('tells a step with its moment', () => {
    const [finding] = unstable((second) => (second < 180 ? 1 : 1.6));
    expect(finding).toMatchObject({ kind: 'step-change', severity: 'grave' });
    expect(Math.abs((finding?.fromSecond ?? 0) - 180)).toBeLessThan(8);
  });

  it('tells a warm-up that reaches into the hold', () => {
    expect(unstable((second) => (second < 60 ? 2 : 1))[0]).toMatchObject({ kind: 'warm-up', fromSecond: 5 });
  });

  it('tells a rhythm with its period', () => {
    const rhythm = unstable((second) => (second % 30 < 3 ? 6 : 1)).find(({ kind }) => kind === 'rhythm');
    expect(rhythm?.sentence).toContain('every 30 s');
  });

  it('tells memory that grows', () => {
    const grows: HostSeries = {
      id: 'app/heap',
      host: 'App',
      name: 'memory in use',
      unit: 'MB',
      points: Array.from({ length: 240 }, (_, second) => [second, 400 + second]),
    };
    expect(ofKind(found(steady, { hosts: [grows] }), 'drift')[0]?.sentence).toMatch(
      /^App: “memory in use” grows during the hold, by 60 MB a minute/,
    );
  });

  it('says nothing of a steady hold in at least 19 of 20 seeded runs', () => {
    const quiet = Array.from({ length: 20 }, (_, n) =>
      found({ ...steady, seed: `quiet ${n}` }).every(({ kind }) => !['drift', 'rhythm', 'step-change', 'warm-up', 'groups'].includes(kind)),
    );
    expect(quiet.filter(Boolean).length).toBeGreaterThanOrEqual(19);
  });
});

it('groups: a generator on a slower way is named with its interval, and none where they are alike', () => {
  const [finding] = ofKind(found({ ...steady, addedMs: [0, 0, 30] }), 'groups');
  expect(finding?.sentence).toMatch(/^“Book” takes [23]\d(\.\d)? ms longer for Generator 3 than for the others \(95 % sure: /);
  expect(ofKind(found({ ...steady, addedMs: [0, 0, 0] }), 'groups')).toEqual([]);
});

it('tells the grave before the hints, and how far it is', () => {
  const order = ['grave', 'notable', 'hint', 'fact'];
  const told: number[] = [];
  const findings = findingsOf(groundOf(simulate({ ...small, users: 40, curve: staircase(4, 20), seed: 'order' })), (done, total) =>
    told.push(done / total),
  );
  expect(findings.map(({ severity }) => order.indexOf(severity))).toEqual(findings.map(({ severity }) => order.indexOf(severity)).sort());
  expect(told.at(-1)).toBe(1);
});
