import {
  generatorSeries,
  lanesOf,
  runCsv,
  runResult,
  runTable,
  Tally,
  type Frame,
  type Run,
  type RunTableBy,
  type Script,
} from '../index.js';

const run: Run = {
  id: 'r',
  projectId: 'p',
  number: 1,
  environmentId: 'e',
  state: 'done',
  startedAt: '2026-11-23T10:00:00.000Z',
  endedAt: null,
  note: null,
  verdict: 'none',
  workload: {
    id: 'w',
    projectId: 'p',
    name: 'W',
    crews: [],
    generators: 2,
    seed: '1',
    curve: { kind: 'ramp', together: 1, rampUpSeconds: 2, holdSeconds: 4, rampDownSeconds: 1, atEnd: 'iteration' },
    criteria: [{ id: 'k', measure: 'p95', transaction: 'Book', limit: 50 }],
  },
};
const script = {
  transactions: [
    { kind: 'transaction', id: 't1', name: 'Find', steps: [] },
    { kind: 'transaction', id: 't2', name: 'Book', steps: [{ kind: 'request', id: 's1', name: 'GET /a' }] },
  ],
} as unknown as Script;
const frame = (generator: number, second: number, ms: number[], more: Partial<Frame> = {}): Frame => {
  const tally = new Tally();
  for (const durationMs of ms) tally.add(durationMs, durationMs < 1000);
  const item = { crew: 'c', transaction: 'Book', tally: tally.toData() };
  return {
    version: 1,
    generator,
    second,
    activeUsers: 3,
    iterationsPassed: ms.length,
    iterationsFailed: 0,
    failures: [],
    users: [],
    loopDelayMs: 5,
    latenessMs: 2,
    missedArrivals: 0,
    items: [
      { ...item, step: null },
      { ...item, step: 's1' },
    ],
    ...more,
  };
};
const seconds = (more: Partial<Frame> = {}) =>
  [0, 1, 2, 3, 4, 5, 6].flatMap((second) => [0, 1].map((generator) => frame(generator, second, second < 2 ? [2000] : [10, 20], more)));

describe('the planned rate', () => {
  // One user that begins every 0.5 s, for the 4 s of the hold: 8 iterations.
  const paced = (iterations: number) => {
    const crew = { id: 'c', name: 'C', users: 1, pacing: { kind: 'start-to-start', seconds: 0.5 }, iterations: null };
    const workload = { ...run.workload, crews: [crew] as unknown as Run['workload']['crews'] };
    const late = new Tally();
    for (let n = 0; n < iterations; n++) late.add(1, true);
    const frames = [2, 3, 4, 5].map((second) => frame(0, second, [10], { lateness: late.toData() }));
    return runResult({ ...run, workload }, frames, [script]).trust.find((sign) => sign.sentence.includes('planned ('));
  };

  it('is a sign of trust: a system that was asked for less than planned was not tested', () => {
    expect(paced(2)).toEqual({ good: true, sentence: '7,200 iterations an hour were begun of 7,200 planned (100 %).' });
    expect(paced(1)).toMatchObject({ good: false, sentence: expect.stringContaining('asked for less than planned') as string });
  });
});

describe('the figures of a run taken apart', () => {
  const crews = ['c', 'd'].map((id) => ({ id, name: `Crew ${id}` })) as Run['workload']['crews'];
  const table = (by: RunTableBy) =>
    runTable({ ...run, workload: { ...run.workload, crews } }, seconds(), [script], by).map(({ group, rows }) => [
      group,
      rows.find((row) => row.step === null)?.summary.count ?? 0,
    ]);

  it('add up to the whole, by crew and by generator; phases have their own seconds', () => {
    expect(table('crew')).toEqual([
      ['Crew c', 16],
      ['Crew d', 0],
    ]);
    expect(table('generator')).toEqual([
      ['Generator 1', 8],
      ['Generator 2', 8],
    ]);
    expect(table('phase')).toEqual([
      ['Ramp-up', 4],
      ['Hold, 4 s', 16],
      ['Ramp-down', 4],
    ]);
  });

  it('are exported as CSV, a line for each transaction and step', () => {
    const lines = runCsv(runResult(run, seconds(), [script])).split('\r\n');
    expect(lines[0]).toMatch(/^transaction,step,count,errors,mean_ms/);
    expect(lines.slice(1, 3).map((line) => line.split(',').slice(0, 5))).toEqual([
      ['Book', '', '16', '0', '15'],
      ['Book', 'GET /a', '16', '0', '15'],
    ]);
  });
});

describe('the result of a run', () => {
  it('holds the figures of the hold, transactions in the order of the script, steps below them', () => {
    const result = runResult(run, seconds(), [script]);
    expect(result.period).toEqual({ fromSecond: 2, toSecond: 6 });
    expect(result.rows.map((row) => [row.name, row.step, row.summary.count, row.summary.errors])).toEqual([
      ['Book', null, 16, 0],
      ['GET /a', 's1', 16, 0],
    ]);
    expect(result.rows[0]?.summary).toMatchObject({ meanMs: 15, minMs: 10, maxMs: 20, throughput: 4 });
    expect(result.criteria[0]).toMatchObject({ held: true });
    expect(result.iterationsPassed).toBe(2 * 2 + 5 * 4);
  });

  it('adds up the rows that each crew was dealt, over generators and seconds', () => {
    const dealt = (table: string, rows: number) => ({ dealt: [{ crew: 'c', table, rows }] });
    const frames = [frame(0, 0, [1], dealt('d', 2)), frame(1, 0, [1], dealt('d', 3)), frame(0, 1, [1], dealt('e', 1)), frame(1, 1, [1])];
    expect(runResult(run, frames, [script]).dealt).toEqual([
      { crew: 'c', table: 'd', rows: 5 },
      { crew: 'c', table: 'e', rows: 1 },
    ]);
  });

  it('can be trusted where generators kept up and the hold was whole', () => {
    expect(runResult(run, seconds(), [script]).trust.every((sign) => sign.good)).toBe(true);
  });

  it('says which sign is bad: slow generators, late starts, a short hold, an interruption', () => {
    const bad = (frames: Frame[], ownRun = run) =>
      runResult(ownRun, frames, [script])
        .trust.filter((sign) => !sign.good)
        .map((sign) => sign.sentence);
    expect(bad(seconds({ loopDelayMs: 240 }))).toEqual([
      expect.stringContaining('late by 240 ms at worst (limit 100 ms): they were the bottleneck') as string,
    ]);
    expect(bad(seconds({ latenessMs: 1500 }))).toEqual(['Iterations started 1500 ms after their schedule at worst.']);
    expect(bad(seconds().filter((second) => second.second < 4))).toEqual(['The hold lasted 2 s of 4 s planned.']);
    expect(bad(seconds(), { ...run, state: 'interrupted' })).toEqual([
      expect.stringContaining('The server ended before the run did') as string,
    ]);
  });
});

describe('what generators take themselves', () => {
  const ownFigures = (busy: number) => ({ own: { busy, heapMb: 40, sockets: 12 } });

  it('is a sign of trust: one that is nearly always at work measures its own queue', () => {
    const sign = (busy: number) =>
      runResult(
        run,
        [2, 3, 4, 5].flatMap((second) => [frame(0, second, [1], ownFigures(0.1)), frame(1, second, [1], ownFigures(busy))]),
        [script],
      ).trust.find((sign) => sign.sentence.startsWith('The busiest generator'));
    expect(sign(0.42)).toEqual({ good: true, sentence: 'The busiest generator was at work for 42 % of the hold (limit 80 %).' });
    expect(sign(0.95)?.good).toBe(false);
    expect(runResult(run, [frame(0, 2, [1])], [script]).trust.some((sign) => sign.sentence.startsWith('The busiest'))).toBe(false);
  });

  it('has lanes like those of hosts', () => {
    const lanes = lanesOf([
      frame(0, 0, [1], ownFigures(0.5)),
      frame(1, 0, [1], ownFigures(0.25)),
      frame(0, 1, [1], ownFigures(0.75)),
      frame(1, 1, [1]),
    ]);
    const series = generatorSeries(lanes).map((hostSeries) => [hostSeries.host, hostSeries.name, hostSeries.unit, hostSeries.points]);
    expect(series.filter((values) => values[1] === 'at work')).toEqual([
      ['Generator 1', 'at work', '%', [[0, 50], [1, 75]]], // prettier-ignore
      ['Generator 2', 'at work', '%', [[0, 25]]],
    ]);
    expect(series).toContainEqual(['Generator 2', 'open connections', '', [[0, 12]]]);
  });
});

describe('the lanes', () => {
  it('add up the generators second by second, and leave out what did not happen', () => {
    const lanes = lanesOf([frame(1, 1, []), frame(0, 0, [10, 2000]), frame(1, 0, [30])]);
    expect(lanes).toMatchObject([
      { second: 0, users: 6, perSecond: 3, meanMs: 680, maxMs: 2000, failures: 1 },
      { second: 1, users: 3, perSecond: 0, meanMs: null, p95Ms: null, failures: 0 },
    ]);
  });
});
