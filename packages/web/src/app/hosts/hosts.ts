import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { ProjectSettings, Watch } from '@sturdy/core';
import { catchError, concatMap, map, of, switchMap, takeUntil, timer } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import type { HostNow } from '@sturdy/core';
import { orTell } from '../shared/problem-effect';

/** Watched hosts, and what they show now. */
export const hostsActions = createActionGroup({
  source: 'Hosts',
  events: {
    Opened: emptyProps(),
    Closed: emptyProps(),
    Loaded: props<{ settings: ProjectSettings }>(),
    Changed: props<{ watches: Watch[] }>(),
    Read: props<{ now: HostNow[] }>(),
    Unreadable: props<{ problem: string }>(),
  },
});

/** Readings that are remembered for the small lines. */
const remembered = 60;

interface HostsState {
  settings: ProjectSettings | null;
  /** By watch and figure, the newest last. */
  readings: Record<string, (number | null)[]>;
  problems: Record<string, string | null>;
  /** Why nothing could be read at all. */
  problem: string | null;
}
const initial: HostsState = { settings: null, readings: {}, problems: {}, problem: null };

export const hostsFeature = createFeature({
  name: 'hosts',
  reducer: createReducer(
    initial,
    on(hostsActions.loaded, (state, { settings }) => ({ ...state, settings })),
    on(hostsActions.changed, (state, { watches }) => (state.settings ? { ...state, settings: { ...state.settings, watches } } : state)),
    on(hostsActions.unreadable, (state, { problem }) => ({ ...state, problem })),
    on(hostsActions.read, (state, { now }) => {
      const readings = { ...state.readings };
      for (const { watch, values } of now)
        for (const [figure, value] of Object.entries(values)) {
          const key = `${watch}/${figure}`;
          readings[key] = [...(readings[key] ?? []), value].slice(-remembered);
        }
      return { ...state, readings, problem: null, problems: Object.fromEntries(now.map((hostNow) => [hostNow.watch, hostNow.problem])) };
    }),
  ),
});

export const hostsEffects = {
  load: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(hostsActions.opened),
        switchMap(() =>
          api.projectSettings().pipe(
            map((settings) => hostsActions.loaded({ settings })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  /** While the screen is open, all hosts are asked every two seconds. */
  follow: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(hostsActions.opened),
        switchMap(() =>
          timer(0, 2000).pipe(
            concatMap(() =>
              api.hostsNow().pipe(
                map((now) => hostsActions.read({ now })),
                catchError((error: unknown) => of(hostsActions.unreadable({ problem: problemOf(error) }))),
              ),
            ),
            takeUntil(actions.pipe(ofType(hostsActions.closed))),
          ),
        ),
      ),
    { functional: true },
  ),
  save: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(hostsActions.changed),
        concatMap(({ watches }) =>
          // What the project says elsewhere may have been changed meanwhile.
          api.projectSettings().pipe(
            switchMap((settings) => api.saveProjectSettings({ ...settings, watches })),
            map((settings) => hostsActions.loaded({ settings })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
};
