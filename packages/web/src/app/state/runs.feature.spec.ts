import { hostSeries, type Run, type RunResult } from '@sturdy/core';
import { runsActions } from './runs.actions';
import { lanePoint as point } from '../test/lane-point';
import { isLive, runsFeature, selectHostSeries } from './runs.feature';

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
  hostCriteria: [],
  trust: [],
  rows: [],
  failures: [],
  dealt: [],
  iterationsPassed: 4,
  iterationsFailed: 0,
  seconds: 1,
};
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
