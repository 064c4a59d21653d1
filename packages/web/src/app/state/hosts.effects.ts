import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { catchError, concatMap, map, of, switchMap, takeUntil, timer } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import { asking } from './asking';
import { hostsActions } from './hosts.actions';

export const hostsEffects = {
  load: asking(
    [hostsActions.opened],
    (api) => api.projectSettings(),
    (settings) => hostsActions.loaded({ settings }),
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
  // What the project says elsewhere may have been changed meanwhile, so it is read before it is written.
  save: asking(
    [hostsActions.changed],
    (api, { watches }) => api.projectSettings().pipe(switchMap((settings) => api.saveProjectSettings({ ...settings, watches }))),
    (settings) => hostsActions.loaded({ settings }),
    { inTurn: true },
  ),
};
