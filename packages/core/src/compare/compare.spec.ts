import seedrandom from 'seedrandom';
import {
  compareRuns,
  crewsOf,
  baselineOf,
  baselineRunFor,
  hostSeries,
  machineRepairman,
  runResult,
  Tally,
  trendOf,
  whyNoBaseline,
  type Histories,
  type LoadCurve,
  type MeasuredRun,
  type Run,
} from '../index.js';
import { simulate, type ClosedSystem } from '../test/closed-system.js';
import { blocksOf, figureOf, meanOfBlocks, percentileOfBlocks } from './blocks.js';

const curve = (holdSeconds: number): LoadCurve => ({
  kind: 'ramp',
  together: 1,
  rampUpSeconds: 5,
  holdSeconds,
  rampDownSeconds: 0,
  atEnd: 'iteration',
});
const steady: ClosedSystem = { workers: 2, serviceSeconds: 0.04, thinkSeconds: 0.3, users: 8, curve: curve(160), seed: 'a' };

function measure(system: ClosedSystem, number = 1, more: Partial<Run> = {}): MeasuredRun {
  const { run, frames, hosts, scripts } = simulate(system);
  return { result: runResult({ ...run, ...more, id: `run ${number}`, number }, frames, scripts), frames, hosts };
}
const slower = (seed: string, times: number): ClosedSystem => ({ ...steady, seed, serviceSeconds: times * steady.serviceSeconds });
const verdicts = (before: MeasuredRun, after: MeasuredRun) =>
  compareRuns([before, after], [], seedrandom('x')).transactions.map(({ differences }) => differences[0]?.verdict);

describe('comparing the crews of a run', () => {
  it('sets each against the first as runs are, by name and line, over the same hold', () => {
    const near = measure(steady, 3);
    const far = measure({ ...slower('far', 1.4), fails: (waiting) => waiting > 3 });
    const [crew] = near.result.run.workload.crews;
    if (!crew) throw new Error('The simulated run has no crew.');
    const line = { latencyMs: 80, downKbps: null, upKbps: null };
    const run: Run = {
      ...near.result.run,
      workload: { ...near.result.run.workload, crews: [crew, { ...crew, id: 'far', name: 'Depot', line }] },
    };
    const frames = [
      ...near.frames,
      ...far.frames.map((frame) => ({
        ...frame,
        generator: 1,
        items: frame.items.map((item) => ({ ...item, crew: 'far' })),
        failures: frame.failures.map((failure) => ({ ...failure, crew: 'far' })),
      })),
    ];
    const whole: MeasuredRun = { result: runResult(run, frames, []), frames, hosts: near.hosts };
    const comparison = compareRuns(crewsOf(whole, []), [], seedrandom('x'));
    expect(comparison.runs.map(({ part, number }) => [part, number])).toEqual([
      [crew.name, 3],
      ['Depot, over a line of 80 ms', 3],
    ]);
    expect(comparison.sentences[0]).toBe(`Crew Depot, over a line of 80 ms against crew ${crew.name}: 1 of 1 transactions is slower.`);
    // The same as of the two systems as runs of their own.
    const alone = compareRuns([near, far], [], seedrandom('x'));
    expect(comparison.transactions).toEqual(alone.transactions);
    expect(comparison.failures.map(({ state }) => state)).toEqual(['new']);
    expect([comparison.changes, comparison.criteria]).toEqual([[], []]);
  });

  it('leaves out what one crew alone plays', () => {
    const near = measure(steady, 3);
    const [crew] = near.result.run.workload.crews;
    if (!crew) throw new Error('The simulated run has no crew.');
    const run: Run = {
      ...near.result.run,
      workload: { ...near.result.run.workload, crews: [crew, { ...crew, id: 'far', name: 'Depot' }] },
    };
    const frames = near.frames.map((frame) => ({
      ...frame,
      items: frame.items.flatMap((item) => [
        item,
        { ...item, crew: 'far' },
        ...(item.step === null ? [{ ...item, crew: 'far', transaction: 'Inspect' }] : []),
      ]),
    }));
    const comparison = compareRuns(crewsOf({ result: runResult(run, frames, []), frames, hosts: [] }, []), [], seedrandom('x'));
    expect(comparison.transactions.map(({ name }) => name)).toEqual(['Book']);
    expect(comparison.sentences).toEqual([`Crew Depot against crew ${crew.name}: no transaction differs by more than chance.`]);
  });
});

describe('comparing runs', () => {
  it('finds a release that is 10 % slower, and does not call an equal one slower, each in at least 19 of 20 seeded pairs', () => {
    let [foundSlower, calledSlower] = [0, 0];
    for (let n = 0; n < 20; n++) {
      const before = measure({ ...steady, seed: `before ${n}` });
      if (verdicts(before, measure(slower(`after ${n}`, 1.1)))[0] === 'slower') foundSlower++;
      if (verdicts(before, measure(slower(`equal ${n}`, 1)))[0] === 'slower') calledSlower++;
    }
    expect(foundSlower).toBeGreaterThanOrEqual(19);
    expect(calledSlower).toBeLessThanOrEqual(1);
  });

  it('tells by how much and how sure, what differed, what failed anew and what hosts did', () => {
    const before = measure(steady, 4, { release: '4.1' });
    const after = measure({ ...slower('b', 1.4), fails: (waiting) => waiting > 3 }, 5, { release: '4.2' });
    const comparison = compareRuns([before, after], [], seedrandom('x'));
    expect(comparison.sentences[0]).toBe('Run 5 (4.2) against run 4 (4.1): 1 of 1 transactions is slower.');
    // By the closed model M/M/c//N (Kleinrock 1975, 3.8).
    const [was, is] = [0.04, 0.056].map((service) => 1000 * machineRepairman(8, 2, service, 0.3).responseSeconds);
    const { low, high } = comparison.transactions[0]?.differences[0]?.mean ?? { low: NaN, high: NaN };
    expect([low < (is ?? 0) - (was ?? 0), high > (is ?? 0) - (was ?? 0)]).toEqual([true, true]);
    expect(comparison.sentences[1]).toMatch(/^Book is slower by (1\d|2\d)(\.\d)? ms, [3-6]\d % \(95 % sure: /);
    expect(comparison.changes).toEqual([
      { about: 'release', run: 5, sentence: 'The release was “4.2” instead of “4.1”.' },
      { about: 'script', run: 5, sentence: 'What scripts and data held was not noted for runs 4 and 5.' },
    ]);
    expect(comparison.failures).toMatchObject([{ state: 'new', counts: [0, expect.any(Number) as number] }]);
    expect(comparison.hosts).toMatchObject([{ name: 'App: processor', unit: '%' }]);
    expect((comparison.hosts[0]?.means[1] ?? 0) / (comparison.hosts[0]?.means[0] ?? 0)).toBeGreaterThan(1.2);
    const back = compareRuns([after, before], [], seedrandom('x'));
    expect([back.transactions[0]?.differences[0]?.verdict, back.failures[0]?.state]).toEqual(['faster', 'gone']);
  });

  it('says what would have been seen where nothing differs, and too few samples where there are', () => {
    const same = compareRuns([measure(steady, 1), measure({ ...steady, seed: 'other' }, 2)], [], seedrandom('x'));
    expect(same.transactions[0]?.differences[0]?.sentence).toMatch(
      /^Book: no difference that these figures could show; one of more than [\d.]+ ms \(\d+ %\) would have been seen\.$/,
    );
    const few = { ...steady, users: 1, thinkSeconds: 10, curve: curve(60) };
    expect(verdicts(measure(few), measure({ ...few, seed: 'b' }))).toEqual(['few']);
  });

  it('names another workload, another environment and other settings', () => {
    const before = measure(steady, 1);
    const after = measure(steady, 2);
    const { run } = after.result;
    const other = {
      ...run,
      environmentId: 'e2',
      environment: { name: 'Staging' } as Run['environment'],
      workload: { ...run.workload, id: 'w2', name: 'Peak', crews: run.workload.crews.map((crew) => ({ ...crew, users: 9 })) },
    };
    const { changes } = compareRuns([before, { ...after, result: { ...after.result, run: other } }], [], seedrandom('x'));
    expect(changes.map(({ about }) => about)).toEqual(['environment', 'workload', 'workload', 'script']);
    expect(changes[2]?.sentence).toContain('users 8 → 9');
  });

  it('names scripts and data that were not the same, with what was changed between their versions, by whom', () => {
    const script = { id: 's', name: 'Book intake', version: 9, mark: 'a' };
    const table = { id: 'd', name: 'Bookings', version: 2, mark: 'b', rows: 5000 };
    const histories: Histories = {
      scripts: { s: [8, 9, 10, 11, 12].reverse().map((number) => ({ number, at: '', by: 'kim', what: `change ${number}` })) },
      tables: { d: [{ number: 3, from: 2, what: '40 rows deleted', by: 'mara', at: '', rows: 40 }] },
    };
    type Played = NonNullable<Run['played']>;
    const changes = (before: Played, after: Played) => {
      const [first, second] = [before, after].map((played, at) => {
        const measured = measure(steady, at + 1);
        return { ...measured, result: { ...measured.result, run: { ...measured.result.run, played } } };
      });
      return first && second ? compareRuns([first, second], [], seedrandom('x'), histories).changes.map(({ sentence }) => sentence) : [];
    };
    const played = { scripts: [script], tables: [table] };
    expect(changes(played, played)).toEqual([]);
    expect(
      changes(played, { scripts: [{ ...script, version: 12, mark: 'c' }], tables: [{ ...table, version: 3, mark: 'd', rows: 4960 }] }),
    ).toEqual([
      '“Book intake” was at version 12 instead of 9; between them: change 10 (kim); change 11 (kim); change 12 (kim).',
      '“Bookings” was at version 3 instead of 2; between them: 40 rows deleted (mara). It had 4,960 rows instead of 5,000.',
    ]);
    expect(changes(played, { scripts: [{ ...script, mark: 'c' }], tables: [] })).toEqual([
      '“Book intake” was not the same, though both played version 9: it was edited again while that version was open, or a part that it plays was changed.',
      'It did not use “Bookings”, which the other did.',
    ]);
    expect(changes({ ...played, tables: [] }, { scripts: [{ ...script, version: null, mark: 'c' }], tables: [] })).toEqual([
      '“Book intake” was not the same.',
    ]);
  });

  it('shows the verdicts of the same criterion side by side', () => {
    const criteria: Run['workload']['criteria'] = [{ id: 'k', measure: 'mean', transaction: 'Book', limit: 55 }];
    const judged = (system: ClosedSystem): MeasuredRun => {
      const { run, frames, scripts } = simulate(system);
      return { result: runResult({ ...run, workload: { ...run.workload, criteria } }, frames, scripts), frames, hosts: [] };
    };
    const { criteria: rows } = compareRuns([judged(steady), judged(slower('b', 1.5))], [], seedrandom('x'));
    expect(rows.map(({ name, verdicts: of }) => [name, of.map((verdict) => verdict?.held)])).toEqual([['Book: mean', [true, false]]]);
  });
});

it('figures of blocks are those of all samples together', () => {
  const { run, frames } = simulate(steady);
  const blocks = blocksOf(frames, { fromSecond: 0, toSecond: 165 }).get('Book') ?? [];
  const all = new Tally();
  for (const frame of frames) for (const { step, tally } of frame.items) if (step === null) all.merge(Tally.from(tally));
  expect(figureOf(blocks, meanOfBlocks)).toBeCloseTo(all.sum / all.count, 9);
  expect(figureOf(blocks, percentileOfBlocks(95))).toBeCloseTo(all.percentile(95), 6);
  expect(run.workload.crews).toHaveLength(1);
});

describe('the baseline', () => {
  const alone = (holdSeconds: number) => simulate({ ...steady, users: 1, curve: curve(holdSeconds) });

  it('tells each transaction with how sure its mean is, and how many iterations it wants', () => {
    const { run, frames } = alone(300);
    const baseline = baselineOf(run, frames);
    expect(baseline.transactions).toMatchObject([{ name: 'Book' }]);
    // Exponential service: the mean of n samples is sure to 1.96 / √n of it.
    const [book] = baseline.transactions;
    expect((book?.sureWithinPercent ?? 0) / (196 / Math.sqrt(book?.count ?? 0))).toBeCloseTo(1, 0);
    expect((book?.meanMs ?? 0) / 40).toBeCloseTo(1, 0);
    expect(baseline.sentence).toMatch(/^Every mean is sure to [\d.]+ % or better \(95 %\), from \d+ iterations\.$/);
    const short = alone(20);
    expect(baselineOf(short.run, short.frames).sentence).toMatch(
      /^The mean of “Book” is sure to \d+ % only, from \d+ iterations; for 10 % play about \d+\.$/,
    );
    expect(baselineOf(run, []).sentence).toContain('Nothing was measured');
  });

  it('is played by one user, to its end', () => {
    const { run } = alone(20);
    expect(whyNoBaseline(run)).toBeNull();
    expect(whyNoBaseline(simulate(steady).run)).toContain('this run had 8');
    expect(whyNoBaseline({ ...run, state: 'aborted' })).toContain('aborted');
  });

  it('of a run is the newest before it that plays one of its scripts', () => {
    const { run } = alone(20);
    const at = (id: string, startedAt: string, more: Partial<Run> = {}): Run => ({ ...run, id, startedAt, baseline: true, ...more });
    const other = { ...run.workload, crews: run.workload.crews.map((crew) => ({ ...crew, scriptId: 'another' })) };
    const runs = [
      at('old', '2026-11-01'),
      at('new', '2026-11-10'),
      at('later', '2026-12-01'),
      at('of another', '2026-11-20', { workload: other }),
      at('none', '2026-11-19', { baseline: false }),
    ];
    expect(baselineRunFor({ ...run, startedAt: '2026-11-21' }, runs)?.id).toBe('new');
    expect(baselineRunFor({ ...run, startedAt: '2026-10-01' }, runs)).toBeNull();
  });
});

describe('the trend', () => {
  it('names the first run that is worse than chance, and none where runs are alike', () => {
    const releases = ['3.0', '3.1', '3.2', '4.0', '4.1'];
    const runs = (times: readonly number[]) =>
      trendOf(
        times.map((factor, at) => measure(slower(`trend ${at}`, factor), at + 1, { release: releases[at] ?? '' })),
        seedrandom('t'),
      );
    const worse = runs([1, 1, 1, 1.25, 1.25]).transactions[0];
    expect([worse?.firstWorse, worse?.sentence]).toEqual([
      3,
      expect.stringMatching(/^Book: run 4 \(4\.0\) is the first that is worse than chance, with a p95 of \d+ ms\.$/),
    ]);
    expect(worse?.points.every((point) => point && point.low < point.value && point.value < point.high)).toBe(true);
    expect(runs([1, 1, 1, 1, 1]).transactions[0]?.firstWorse).toBeNull();
    expect(runs([1, 1.4]).transactions[0]?.firstWorse).toBe(1);
  });
});

it('hosts without figures have none to compare', () => {
  expect(
    compareRuns(
      [measure(steady)].map((run) => ({ ...run, hosts: hostSeries([], []) })),
      [],
      seedrandom('x'),
    ).hosts,
  ).toEqual([]);
});
