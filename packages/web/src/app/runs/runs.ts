import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
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
  type LiveSecond,
} from '@sturdy/core';
import { concat, concatMap, forkJoin, map, type Observable, of, switchMap, takeUntil } from 'rxjs';
import { Api } from '../shared/api';
import { liveStream } from '../shared/live-stream';
import { orTell } from '../shared/problem-effect';

/** Runs, the open one with its figures, and what comes live. */
export const runsActions = createActionGroup({
  source: 'Runs',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ list: Run[] }>(),
    Opened: props<{ id: string }>(),
    Closed: emptyProps(),
    Loaded: props<{ result: RunResult; lanes: LanePoint[]; hosts: HostSeries[]; users: UserState[] }>(),
    'Host read': props<{ point: HostPoint }>(),
    'Second came': props<{ live: LiveSecond }>(),
    'Run changed': props<{ run: Run }>(),
    'Finish wanted': props<{ id: string }>(),
    'Abort wanted': props<{ id: string }>(),
    'Pause wanted': props<{ id: string }>(),
    'Resume wanted': props<{ id: string }>(),
    'Next phase wanted': props<{ id: string }>(),
    'Users wanted': props<{ id: string; crew: string; users: number }>(),
    'User watched': props<{ id: string; user: number; captures: boolean }>(),
    'Log came': props<{ entries: UserLogEntry[] }>(),
    'Note written': props<{ id: string; text: string }>(),
    Asked: emptyProps(),
  },
});

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

export const runsEffects = {
  list: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(runsActions.listAsked),
        switchMap(() =>
          api.runs().pipe(
            map((list) => runsActions.listLoaded({ list })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  open: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(runsActions.opened),
        switchMap(({ id }) =>
          forkJoin([api.run(id), api.lanes(id), api.runHosts(id), api.usersNow(id)]).pipe(
            map(([result, lanes, hosts, users]) => runsActions.loaded({ result, lanes, hosts, users })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  follow: createEffect(
    (actions = inject(Actions)) =>
      actions.pipe(
        ofType(runsActions.loaded),
        switchMap(({ result }) =>
          isLive(result.run)
            ? liveStream(`/api/runs/${result.run.id}/live`, ['second', 'run', 'host', 'log']).pipe(
                switchMap((event) => {
                  switch (event.kind) {
                    case 'host':
                      return of(runsActions.hostRead({ point: event.data }));
                    case 'log':
                      return of(runsActions.logCame({ entries: event.data }));
                    case 'second':
                      return of(runsActions.secondCame({ live: event.data }));
                    case 'run': {
                      const run = event.data;
                      // The end of a run brings its final figures.
                      return isLive(run)
                        ? of(runsActions.runChanged({ run }))
                        : concat(of(runsActions.runChanged({ run })), of(runsActions.opened({ id: run.id })));
                    }
                  }
                }),
                takeUntil(actions.pipe(ofType(runsActions.closed, runsActions.opened))),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  steer: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(
          runsActions.finishWanted,
          runsActions.abortWanted,
          runsActions.pauseWanted,
          runsActions.resumeWanted,
          runsActions.nextPhaseWanted,
          runsActions.userWatched,
          runsActions.usersWanted,
          runsActions.noteWritten,
        ),
        concatMap((action) =>
          ordered(api, action).pipe(
            map(() => runsActions.asked()),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
};

type Order = ReturnType<
  | typeof runsActions.finishWanted
  | typeof runsActions.abortWanted
  | typeof runsActions.pauseWanted
  | typeof runsActions.resumeWanted
  | typeof runsActions.nextPhaseWanted
  | typeof runsActions.userWatched
  | typeof runsActions.usersWanted
  | typeof runsActions.noteWritten
>;

function ordered(api: Api, order: Order): Observable<unknown> {
  switch (order.type) {
    case runsActions.finishWanted.type:
      return api.finishRun(order.id);
    case runsActions.abortWanted.type:
      return api.abortRun(order.id);
    case runsActions.pauseWanted.type:
      return api.pauseRun(order.id);
    case runsActions.resumeWanted.type:
      return api.resumeRun(order.id);
    case runsActions.nextPhaseWanted.type:
      return api.nextPhase(order.id);
    case runsActions.userWatched.type:
      return api.watchUser(order.id, order.user, order.captures);
    case runsActions.usersWanted.type:
      return api.changeUsers(order.id, order.crew, order.users);
    case runsActions.noteWritten.type:
      return api.noteRun(order.id, order.text);
  }
}
