import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { Forecast, Workload } from '@sturdy/core';
import { concat, debounceTime, map, of, switchMap, tap } from 'rxjs';
import { Api } from '../shared/api';
import { orTell } from '../shared/problem-effect';

/** Workloads, the one being edited, and its forecast. */
export const workloadsActions = createActionGroup({
  source: 'Workloads',
  events: {
    'List asked': emptyProps(),
    'List loaded': props<{ list: Workload[] }>(),
    Opened: props<{ id: string }>(),
    'Make wanted': props<{ workload: Omit<Workload, 'id' | 'projectId'> }>(),
    Made: props<{ workload: Workload }>(),
    Changed: props<{ workload: Workload }>(),
    Saved: emptyProps(),
    'Forecast loaded': props<{ forecast: Forecast }>(),
    'Run wanted': props<{ id: string }>(),
    'Run start ended': emptyProps(),
    'Delete wanted': props<{ id: string }>(),
  },
});

interface WorkloadsState {
  list: Workload[];
  listed: boolean;
  currentId: string | null;
  forecast: Forecast | null;
  starting: boolean;
}
const initial: WorkloadsState = { list: [], listed: false, currentId: null, forecast: null, starting: false };

export const workloadsFeature = createFeature({
  name: 'workloads',
  reducer: createReducer(
    initial,
    on(workloadsActions.listLoaded, (state, { list }) => ({ ...state, list, listed: true })),
    on(workloadsActions.opened, (state, { id }) => ({ ...state, currentId: id, forecast: null, starting: false })),
    on(workloadsActions.made, (state, { workload }) => ({ ...state, list: [...state.list, workload] })),
    on(workloadsActions.changed, (state, { workload }) => ({
      ...state,
      list: state.list.map((one) => (one.id === workload.id ? workload : one)),
    })),
    on(workloadsActions.forecastLoaded, (state, { forecast }) => ({ ...state, forecast })),
    on(workloadsActions.runWanted, (state) => ({ ...state, starting: true })),
    on(workloadsActions.runStartEnded, (state) => ({ ...state, starting: false })),
  ),
});

export const workloadsEffects = {
  list: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(workloadsActions.listAsked, workloadsActions.opened),
        switchMap((action) =>
          api.workloads().pipe(
            switchMap((list) => {
              const loaded = workloadsActions.listLoaded({ list });
              const opened = action.type === workloadsActions.opened.type ? list.find((workload) => workload.id === action.id) : undefined;
              return opened ? concat(of(loaded), of(workloadsActions.changed({ workload: opened }))) : of(loaded);
            }),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  make: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(workloadsActions.makeWanted),
        switchMap(({ workload }) =>
          api.makeWorkload(workload).pipe(
            tap((made) => void router.navigate(['/workloads', made.id])),
            map((made) => workloadsActions.made({ workload: made })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  save: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(workloadsActions.changed),
        debounceTime(250),
        switchMap(({ workload }) =>
          api.saveWorkload(workload).pipe(
            map(() => workloadsActions.saved()),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  forecast: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(workloadsActions.changed),
        debounceTime(120),
        switchMap(({ workload }) =>
          api.forecast(workload).pipe(
            map((forecast) => workloadsActions.forecastLoaded({ forecast })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  run: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(workloadsActions.runWanted),
        switchMap(({ id }) =>
          api.startRun(id).pipe(
            tap((run) => void router.navigate(['/runs', run.id])),
            map(() => workloadsActions.runStartEnded()),
            orTell(workloadsActions.runStartEnded()),
          ),
        ),
      ),
    { functional: true },
  ),
  remove: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(workloadsActions.deleteWanted),
        switchMap(({ id }) =>
          api.deleteWorkload(id).pipe(
            tap(() => void router.navigate(['/workloads'])),
            map(() => workloadsActions.listAsked()),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
};
