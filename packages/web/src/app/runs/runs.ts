import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { groupFailures, type Failure, type LanePoint, type Run, type RunResult, type UserState } from '@sturdy/core';
import { concat, forkJoin, map, of, switchMap, takeUntil } from 'rxjs';
import { Api } from '../shared/api';
import { liveStream } from '../shared/live-stream';
import { orTell } from '../shared/problem-effect';

export interface LiveSecond {
  point: LanePoint;
  users: UserState[];
  failures: Failure[];
  iterationsPassed: number;
  iterationsFailed: number;
}

/** Runs, the open one with its figures, and what comes live. */
export const runsActions = createActionGroup({
  source: 'Runs',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ list: Run[] }>(),
    Opened: props<{ id: string }>(),
    Closed: emptyProps(),
    Loaded: props<{ result: RunResult; lanes: LanePoint[] }>(),
    'Second came': props<{ live: LiveSecond }>(),
    'Run changed': props<{ run: Run }>(),
    'Finish wanted': props<{ id: string }>(),
    'Abort wanted': props<{ id: string }>(),
    Asked: emptyProps(),
  },
});

interface RunsState {
  list: Run[];
  listed: boolean;
  result: RunResult | null;
  lanes: LanePoint[];
  users: UserState[];
  failures: Failure[];
  passed: number;
  failed: number;
}
const initial: RunsState = { list: [], listed: false, result: null, lanes: [], users: [], failures: [], passed: 0, failed: 0 };

export const isLive = (run: Run): boolean => run.state === 'starting' || run.state === 'running' || run.state === 'finishing';

export const runsFeature = createFeature({
  name: 'runs',
  reducer: createReducer(
    initial,
    on(runsActions.listLoaded, (state, { list }) => ({ ...state, list, listed: true })),
    on(runsActions.opened, (state, { id }) =>
      state.result?.run.id === id ? state : { ...initial, list: state.list, listed: state.listed },
    ),
    on(runsActions.loaded, (state, { result, lanes }) => ({
      ...state,
      result,
      lanes,
      failures: result.failures,
      passed: result.iterationsPassed,
      failed: result.iterationsFailed,
    })),
    on(runsActions.secondCame, (state, { live }) => ({
      ...state,
      lanes: [...state.lanes.filter((one) => one.second !== live.point.second), live.point].sort(
        (left, right) => left.second - right.second,
      ),
      users: [...live.users].sort((left, right) => left.user - right.user),
      failures: groupFailures([...state.failures, ...live.failures.map((one) => ({ ...one, example: null }))]),
      passed: state.passed + live.iterationsPassed,
      failed: state.failed + live.iterationsFailed,
    })),
    on(runsActions.runChanged, (state, { run }) => ({
      ...state,
      result: state.result?.run.id === run.id ? { ...state.result, run } : state.result,
    })),
  ),
});

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
          forkJoin([api.run(id), api.lanes(id)]).pipe(
            map(([result, lanes]) => runsActions.loaded({ result, lanes })),
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
            ? liveStream(`/api/runs/${result.run.id}/live`, ['second', 'run']).pipe(
                switchMap(({ kind, data }) => {
                  if (kind === 'second') return of(runsActions.secondCame({ live: data as LiveSecond }));
                  const run = data as Run;
                  // The end of a run brings its final figures.
                  return isLive(run)
                    ? of(runsActions.runChanged({ run }))
                    : concat(of(runsActions.runChanged({ run })), of(runsActions.opened({ id: run.id })));
                }),
                takeUntil(actions.pipe(ofType(runsActions.closed, runsActions.opened))),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  finish: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(runsActions.finishWanted),
        switchMap(({ id }) =>
          api.finishRun(id).pipe(
            map(() => runsActions.asked()),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  abort: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(runsActions.abortWanted),
        switchMap(({ id }) =>
          api.abortRun(id).pipe(
            map(() => runsActions.asked()),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
};
