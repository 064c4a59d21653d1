import { createFeature, createReducer, createSelector, on } from '@ngrx/store';
import {
  groupFailures,
  generatorSeries,
  hostSeries,
  type Failure,
  type HostPoint,
  type HostSeries,
  type LanePoint,
  type Run,
  type RunResult,
  type UserLogEntry,
  type UserState,
} from '@sturdy/core';
import { runsActions } from './runs.actions';

interface RunsState {
  list: Run[];
  listed: boolean;
  result: RunResult | null;
  lanes: LanePoint[];
  /** What was read of hosts before the page was opened, and the points that came since. */
  hosts: HostSeries[];
  hostPoints: HostPoint[];
  users: UserState[];
  /** What watched users did last. */
  log: UserLogEntry[];
  failures: Failure[];
  passed: number;
  failed: number;
}
/** Entries of watched users that are kept on screen. */
const logged = 400;

const initial: RunsState = {
  list: [],
  listed: false,
  result: null,
  lanes: [],
  hosts: [],
  hostPoints: [],
  users: [],
  log: [],
  failures: [],
  passed: 0,
  failed: 0,
};

const byNumber = (users: readonly UserState[]): UserState[] => [...users].sort((left, right) => left.user - right.user);

export const isLive = (run: Run): boolean => run.state === 'starting' || run.state === 'running' || run.state === 'finishing';

export const runsFeature = createFeature({
  name: 'runs',
  reducer: createReducer(
    initial,
    on(runsActions.listLoaded, (state, { list }) => ({ ...state, list, listed: true })),
    on(runsActions.opened, (state, { id }) =>
      state.result?.run.id === id ? state : { ...initial, list: state.list, listed: state.listed },
    ),
    on(runsActions.hostRead, (state, { point }) => ({ ...state, hostPoints: [...state.hostPoints, point] })),
    on(runsActions.loaded, (state, { result, lanes, hosts, users }) => ({
      ...state,
      result,
      lanes,
      hosts,
      hostPoints: [],
      users: byNumber(users),
      failures: result.failures,
      passed: result.iterationsPassed,
      failed: result.iterationsFailed,
    })),
    on(runsActions.secondCame, (state, { live }) => {
      // What is known from before is not counted again: seconds around the opening of the page may come twice. A second comes again with more
      // generators where one of them was silent.
      const known = state.lanes.find(({ second }) => second === live.point.second);
      if (known && (known.generators?.length ?? 0) >= (live.point.generators?.length ?? 0)) return state;
      return {
        ...state,
        lanes: [...state.lanes.filter((point) => point !== known), live.point].sort((left, right) => left.second - right.second),
        // Those of whom nothing is told are as they were.
        users: byNumber([...new Map([...state.users, ...live.users].map((userState) => [userState.user, userState])).values()]),
        failures: groupFailures([...state.failures, ...live.failures.map((failure) => ({ ...failure, example: null }))]),
        passed: state.passed + live.iterationsPassed,
        failed: state.failed + live.iterationsFailed,
      };
    }),
    on(runsActions.logCame, (state, { entries }) => ({ ...state, log: [...state.log, ...entries].slice(-logged) })),
    on(runsActions.runChanged, (state, { run }) => ({
      ...state,
      result: state.result?.run.id === run.id ? { ...state.result, run } : state.result,
    })),
  ),
});

/** Host figures of the open run: those that were there, and those that came since. */
export const selectHostSeries = createSelector(
  runsFeature.selectResult,
  runsFeature.selectHosts,
  runsFeature.selectHostPoints,
  runsFeature.selectLanes,
  (result, known, points, lanes): HostSeries[] => {
    const fresh = hostSeries(result?.run.watches ?? [], points);
    const watched = fresh.map((series) => {
      const before = known.find((otherSeries) => otherSeries.id === series.id)?.points ?? [];
      const last = before.at(-1)?.[0] ?? -1;
      return { ...series, points: [...before, ...series.points.filter(([second]) => second > last)] };
    });
    return [...watched, ...generatorSeries(lanes)];
  },
);
