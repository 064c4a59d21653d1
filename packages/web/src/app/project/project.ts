import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { Board, Environment } from '@sturdy/core';
import { forkJoin, map, merge, switchMap, timer } from 'rxjs';
import { Api } from '../shared/api';
import type { LiveState } from '@sturdy/core';
import { orNothing, orTell } from '../shared/problem-effect';

/** The project, its environment, its board, and what is live. */
export const projectActions = createActionGroup({
  source: 'Project',
  events: {
    Opened: emptyProps(),
    Loaded: props<{ name: string; environment: Environment | null }>(),
    'Board asked': emptyProps(),
    'Board loaded': props<{ board: Board }>(),
    'Live loaded': props<{ live: LiveState }>(),
    'Environment changed': props<{ environment: Environment }>(),
    'Environment saved': props<{ environment: Environment }>(),
  },
});

interface ProjectState {
  name: string;
  environment: Environment | null;
  board: Board | null;
  live: LiveState;
}
const initial: ProjectState = { name: '', environment: null, board: null, live: { recording: null, run: null, databaseAway: null } };

export const projectFeature = createFeature({
  name: 'project',
  reducer: createReducer(
    initial,
    on(projectActions.loaded, (state, { name, environment }) => ({ ...state, name, environment })),
    on(projectActions.boardLoaded, (state, { board }) => ({ ...state, board })),
    on(projectActions.liveLoaded, (state, { live }) => ({ ...state, live })),
    on(projectActions.environmentSaved, (state, { environment }) => ({ ...state, environment })),
  ),
});

const livePollMs = 1500;

export const projectEffects = {
  open: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(projectActions.opened),
        switchMap(() =>
          forkJoin([api.projects(), api.environments()]).pipe(
            map(([projects, environments]) =>
              projectActions.loaded({ name: projects[0]?.name ?? '', environment: environments[0] ?? null }),
            ),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  board: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(projectActions.boardAsked),
        switchMap(() =>
          api.board().pipe(
            map((board) => projectActions.boardLoaded({ board })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  live: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      merge(actions.pipe(ofType(projectActions.opened))).pipe(
        switchMap(() => timer(0, livePollMs)),
        switchMap(() =>
          api.live().pipe(
            map((live) => projectActions.liveLoaded({ live })),
            orNothing(),
          ),
        ),
      ),
    { functional: true },
  ),
  environment: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(projectActions.environmentChanged),
        switchMap(({ environment }) =>
          api.saveEnvironment(environment).pipe(
            map((saved) => projectActions.environmentSaved({ environment: saved })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
};
