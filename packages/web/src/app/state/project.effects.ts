import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { catchError, EMPTY, forkJoin, map, switchMap, timer } from 'rxjs';
import { Api } from '../shared/api';
import { asking } from './asking';
import { projectActions } from './project.actions';

const livePollMs = 1500;

export const projectEffects = {
  open: asking(
    [projectActions.opened],
    (api) => forkJoin([api.projects(), api.environments()]),
    ([projects, environments]) => projectActions.loaded({ name: projects[0]?.name ?? '', environment: environments[0] ?? null }),
  ),
  board: asking(
    [projectActions.boardAsked],
    (api) => api.board(),
    (board) => projectActions.boardLoaded({ board }),
  ),
  live: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(projectActions.opened),
        switchMap(() => timer(0, livePollMs)),
        switchMap(() =>
          api.live().pipe(
            map((live) => projectActions.liveLoaded({ live })),
            // The next turn will tell.
            catchError(() => EMPTY),
          ),
        ),
      ),
    { functional: true },
  ),
  environment: asking(
    [projectActions.environmentChanged],
    (api, { environment }) => api.saveEnvironment(environment),
    (environment) => projectActions.environmentSaved({ environment }),
    { failed: projectActions.environmentSaveFailed() },
  ),
};
