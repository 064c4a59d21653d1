import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concat, forkJoin, of, switchMap, takeUntil, type Observable } from 'rxjs';
import type { Api } from '../shared/api';
import { liveStream } from '../shared/live-stream';
import { asking } from './asking';
import { runsActions } from './runs.actions';
import { isLive } from './runs.feature';

/** What is wanted of the live run. */
type RunCommand = ReturnType<
  | typeof runsActions.finishWanted
  | typeof runsActions.abortWanted
  | typeof runsActions.pauseWanted
  | typeof runsActions.resumeWanted
  | typeof runsActions.nextPhaseWanted
  | typeof runsActions.userWatched
  | typeof runsActions.usersWanted
  | typeof runsActions.noteWritten
>;

function giveCommand(api: Api, command: RunCommand): Observable<unknown> {
  switch (command.type) {
    case runsActions.finishWanted.type:
      return api.finishRun(command.id);
    case runsActions.abortWanted.type:
      return api.abortRun(command.id);
    case runsActions.pauseWanted.type:
      return api.pauseRun(command.id);
    case runsActions.resumeWanted.type:
      return api.resumeRun(command.id);
    case runsActions.nextPhaseWanted.type:
      return api.nextPhase(command.id);
    case runsActions.userWatched.type:
      return api.watchUser(command.id, command.user, command.captures);
    case runsActions.usersWanted.type:
      return api.changeUsers(command.id, command.crew, command.users);
    case runsActions.noteWritten.type:
      return api.noteRun(command.id, command.text);
  }
}

export const runsEffects = {
  list: asking(
    [runsActions.listAsked],
    (api) => api.runs(),
    (list) => runsActions.listLoaded({ list }),
  ),
  open: asking(
    [runsActions.opened],
    (api, { id }) => forkJoin([api.run(id), api.lanes(id), api.runHosts(id), api.usersNow(id)]),
    ([result, lanes, hosts, users]) => runsActions.loaded({ result, lanes, hosts, users }),
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
  steer: asking(
    [
      runsActions.finishWanted,
      runsActions.abortWanted,
      runsActions.pauseWanted,
      runsActions.resumeWanted,
      runsActions.nextPhaseWanted,
      runsActions.userWatched,
      runsActions.usersWanted,
      runsActions.noteWritten,
    ],
    (api, command) => giveCommand(api, command),
    () => runsActions.asked(),
    { inTurn: true },
  ),
};
