import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { catchError, EMPTY, filter, map, switchMap, tap, timer } from 'rxjs';
import { EnvironmentChoice, storedChoice } from '../shared/environment-choice';
import { Api } from '../shared/api';
import { asking } from './asking';
import { projectActions } from './project.actions';
import { projectFeature } from './project.feature';

const livePollMs = 1500;

export const projectEffects = {
  open: asking(
    [projectActions.opened],
    (api) => api.environments(),
    (environments) => projectActions.loaded({ environments, chosen: storedChoice() }),
  ),
  board: asking(
    [projectActions.boardAsked],
    (api) => api.board(),
    (board) => projectActions.boardLoaded({ board }),
  ),
  live: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(projectActions.liveAsked),
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
  addEnvironment: asking(
    [projectActions.environmentWanted],
    (api, { name, copyOf }) => api.addEnvironment(name, copyOf),
    (environment) => projectActions.environmentSaved({ environment }),
  ),
  removeEnvironment: asking(
    [projectActions.environmentRemovalWanted],
    (api, { id }) => api.removeEnvironment(id),
    (_, { id }) => projectActions.environmentRemoved({ id }),
  ),
  withdraw: asking(
    [projectActions.withdrawalWanted],
    (api, { environment, origin }) => api.withdrawClearance(environment, origin),
    (environment) => projectActions.environmentSaved({ environment }),
  ),
  /** Requests say from then on which environment is chosen, and the next visit begins with it. */
  keepChoice: createEffect(
    (store = inject(Store), choice = inject(EnvironmentChoice)) =>
      store.select(projectFeature.selectChosen).pipe(
        filter((id) => id !== null),
        tap((id) => {
          choice.keep(id);
        }),
      ),
    { functional: true, dispatch: false },
  ),
};
