import { hostSeries, type LanePoint, type Run, type RunResult } from '@sturdy/core';
import { runsActions } from './runs.actions';
import { isLive, runsFeature, selectHostSeries } from './runs.feature';
import { heatCells, lanesOptions, toldAt } from '../runs/lanes-chart';

const run: Run = {
  id: 'r',
  projectId: 'p',
  number: 1,
  environmentId: 'e',
  state: 'running',
  startedAt: '2026-11-23T10:00:00.000Z',
  endedAt: null,
  note: null,
  verdict: 'none',
  workload: {
    id: 'w',
    projectId: 'p',
    name: 'W',
    crews: [],
    curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 5, rampDownSeconds: 0, atEnd: 'iteration' },
    criteria: [],
    generators: 1,
    seed: '1',
  },
};
const result: RunResult = {
  run,
  period: { fromSecond: 0, toSecond: 5 },
  criteria: [],
  trust: [],
  rows: [],
  failures: [],
  dealt: [],
  iterationsPassed: 4,
  iterationsFailed: 0,
  seconds: 1,
};
const point = (second: number): LanePoint => ({
  second,
  users: 2,
  perSecond: 3,
  meanMs: 10,
  p50Ms: 9,
  p95Ms: 20,
  maxMs: 30,
  failures: 0,
  loopDelayMs: 1,
});
const failure = {
  crew: 'c',
  transaction: 't',
  step: 's',
  code: 'check-text',
  subject: 'k',
  message: 'm',
  count: 1,
  firstSecond: 1,
  lastSecond: 1,
  example: null,
};
const { reducer } = runsFeature;

describe('a live run', () => {
  const opened = reducer(
    reducer(undefined, runsActions.opened({ id: 'r' })),
    runsActions.loaded({ result, lanes: [point(0)], hosts: [], users: [] }),
  );
  const live = (second: number) =>
    runsActions.secondCame({ live: { point: point(second), users: [], failures: [failure], iterationsPassed: 2, iterationsFailed: 1 } });

  it('adds seconds in order, each once, counts on from what was loaded, and groups failures', () => {
    const after = [2, 1, 2].reduce((state, second) => reducer(state, live(second)), opened);
    expect(after.lanes.map((lane) => lane.second)).toEqual([0, 1, 2]);
    expect([after.passed, after.failed]).toEqual([8, 2]);
    expect(after.failures).toMatchObject([{ count: 2 }]);
  });

  it('shows a second anew with a generator that told of it late, and counts what that adds once', () => {
    const figuresOf = (generator: number) => ({ generator, busy: 0, heapMb: 1, sockets: 1 });
    const pointOf = (generators: number[]) => {
      const { live: whole } = live(1);
      return runsActions.secondCame({ live: { ...whole, point: { ...whole.point, generators: generators.map(figuresOf) } } });
    };
    const after = [pointOf([0]), pointOf([0, 1]), pointOf([0, 1])].reduce(reducer, opened);
    expect(after.lanes.map(({ second, generators }) => [second, generators?.length])).toEqual([
      [0, undefined],
      [1, 2],
    ]);
    expect([after.passed, after.failed]).toEqual([8, 2]);
  });

  it('keeps its figures when the same run is opened again, and drops those of another', () => {
    expect(reducer(opened, runsActions.opened({ id: 'r' })).lanes).toHaveLength(1);
    expect(reducer(opened, runsActions.opened({ id: 'x' })).lanes).toEqual([]);
  });

  it('is live until it has ended', () => {
    expect(
      (['starting', 'running', 'finishing', 'done', 'aborted', 'interrupted', 'failed'] as const).map((state) => isLive({ ...run, state })),
    ).toEqual([true, true, true, false, false, false, false]);
  });
});

it('figures of hosts that were read before the page was opened go on with those that come, each once', () => {
  const watch = { id: 'machine', name: 'This machine', kind: 'machine' as const, everySeconds: 2 };
  const watched = { ...result, run: { ...run, watches: [watch] } };
  const hosts = hostSeries([watch], [{ watch: 'machine', second: 0, values: { processor: 10 }, problem: null }]);
  const opened = reducer(
    reducer(undefined, runsActions.opened({ id: 'r' })),
    runsActions.loaded({ result: watched, lanes: [], hosts, users: [] }),
  );
  const after = [0, 2].reduce(
    (state, second) =>
      reducer(state, runsActions.hostRead({ point: { watch: 'machine', second, values: { processor: 20 }, problem: null } })),
    opened,
  );
  const [processor] = selectHostSeries.projector(after.result, after.hosts, after.hostPoints, after.lanes);
  expect(processor?.points).toEqual([
    [0, 10],
    [2, 20],
  ]);
});

it('the lanes leave a gap where nothing ended in a second', () => {
  const options = lanesOptions(
    { points: [point(0), { ...point(1), p95Ms: null, p50Ms: null }], seconds: 5, limitMs: 100, hosts: [], events: [] },
    () => '#000',
  );
  const series = options['series'] as { name: string; data: [number, number | null][] }[];
  expect(series.find((line) => line.name === 'p95')?.data).toEqual([
    [0, 20],
    [1, null],
  ]);
});

it('the cursor tells the nearest second, and of hosts their last figure before it', () => {
  const host = { id: 'h', host: 'Yard', name: 'processor', unit: '%', points: [[0, 10.26], [4, null]] as [number, number | null][] }; // prettier-ignore
  const view = {
    points: [point(0), { ...point(3), p95Ms: null }, point(4)],
    seconds: 9,
    limitMs: null,
    hosts: [host],
    events: [{ kind: 'note' as const, second: 3, text: 'cache was emptied' }],
  };
  const textsAt = (second: number) => toldAt(view, second).map((tip) => tip.text);
  expect(textsAt(2.4)).toEqual([
    expect.stringContaining('users'),
    expect.stringContaining('none,'),
    expect.any(String),
    '10.3 %',
    'cache was emptied',
  ]);
  expect(textsAt(9).at(-1)).toBe('none');
  expect(toldAt({ ...view, points: [] }, 1)).toEqual([]);
});

it('the heat band shows which share of the answers took how long, and joins seconds where there are many', () => {
  // Bands are tenths of a decade: band 10 is 10 to 12.6 ms, band 20 is 100 to 126 ms.
  const cells = heatCells([
    {
      ...point(0),
      bands: [
        [10, 3],
        [20, 1],
      ],
    },
    { ...point(1), bands: [] },
  ]);
  expect(cells).toEqual([
    [-0.5, 0.5, 10, expect.closeTo(12.59, 2), 0.75],
    [-0.5, 0.5, 100, expect.closeTo(125.89, 2), 0.25],
  ]);
  const hour = heatCells(Array.from({ length: 3600 }, (_, second) => ({ ...point(second), bands: [[10, 1] as [number, number]] })));
  expect(hour).toHaveLength(240);
  expect(hour.every((figures) => figures[4] === 1)).toBe(true);
});
