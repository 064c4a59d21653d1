import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { HttpEventType } from '@angular/common/http';
import { concat, concatMap, debounceTime, EMPTY, forkJoin, map, of, switchMap, takeUntil, tap } from 'rxjs';
import { projectActions } from '../project/project';
import { Api } from '../shared/api';
import { liveStream } from '../shared/live-stream';
import { messageActions } from '../shared/messages';
import { orTell } from '../shared/problem-effect';
import { takesActions } from './takes.actions';

export const takesEffects = {
  list: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(takesActions.listAsked),
        switchMap(() =>
          api.takes().pipe(
            map((list) => takesActions.listLoaded({ list })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  open: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(takesActions.takeOpened),
        switchMap(({ id }) =>
          api.take(id).pipe(
            map((loaded) => takesActions.takeLoaded(loaded)),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  follow: createEffect(
    (actions = inject(Actions)) =>
      actions.pipe(
        ofType(takesActions.recordingStarted, takesActions.takeLoaded),
        switchMap(({ take }) =>
          take.state === 'done'
            ? of()
            : liveStream(`/api/takes/${take.id}/live`, ['exchange', 'take', 'suggestions', 'discarded']).pipe(
                map((event) => {
                  switch (event.kind) {
                    case 'exchange':
                      return takesActions.exchangeCame({ exchange: event.data });
                    case 'take':
                      return takesActions.takeChanged({ take: event.data });
                    case 'discarded':
                      return takesActions.exchangesDiscarded(event.data);
                    case 'suggestions':
                      return takesActions.namesSuggested(event.data);
                  }
                }),
                takeUntil(actions.pipe(ofType(takesActions.recordingStopped, takesActions.takeOpened))),
              ),
        ),
      ),
    { functional: true },
  ),
  record: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(takesActions.recordingWanted),
        switchMap(({ options }) =>
          api.startRecording(options).pipe(
            map((started) => takesActions.recordingStarted(started)),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  mark: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(takesActions.markWanted),
        switchMap(({ kind, text }) =>
          api.mark(kind, text).pipe(
            map((take) => takesActions.takeChanged({ take })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  pause: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(takesActions.pauseWanted),
        switchMap(({ paused }) =>
          api.pauseRecording(paused).pipe(
            map((take) => takesActions.takeChanged({ take })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  discard: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(takesActions.discardWanted),
        switchMap(({ count }) =>
          api.discardLast(count).pipe(
            map(({ exchanges }) => takesActions.exchangesDiscarded({ exchanges })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  survey: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(takesActions.surveyAsked),
        switchMap(({ id }) =>
          api.survey(id).pipe(
            map((survey) => takesActions.surveyLoaded({ id, survey })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  search: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(takesActions.searchAsked),
        debounceTime(250),
        switchMap(({ id, text }) =>
          text === ''
            ? EMPTY
            : api.searchTake(id, text).pipe(
                map(({ hits, more }) => takesActions.searchDone({ text, hits, more })),
                orTell(),
              ),
        ),
      ),
    { functional: true },
  ),
  beside: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(takesActions.besideAsked),
        switchMap(({ id, otherId }) =>
          forkJoin([api.beside(id, otherId), api.take(otherId)]).pipe(
            map(([rows, { take, exchanges }]) => takesActions.besideLoaded({ other: take, exchanges, rows })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  paste: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(takesActions.curlPasted),
        switchMap(({ name, text }) =>
          api.pasteCurl(name, text).pipe(
            tap(({ take }) => void router.navigate(['/takes', take.id])),
            map((imported) => takesActions.harImported(imported)),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  stop: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(takesActions.stopWanted),
        switchMap(() =>
          api.stopRecording().pipe(
            tap((take) => void router.navigate(['/takes', take.id])),
            map((take) => takesActions.recordingStopped({ take })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  browser: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(takesActions.browserWanted),
        switchMap(({ address }) =>
          api.openBrowser(address).pipe(
            map(() => messageActions.told({ tone: 'good', text: 'A clean browser was opened. What it does is recorded.' })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  importHar: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(takesActions.harChosen),
        switchMap(({ name, file }) =>
          api.importHar(name, file).pipe(
            concatMap((event) => {
              if (event.type === HttpEventType.UploadProgress)
                return of(takesActions.importProgressed({ loaded: event.loaded, total: event.total ?? file.size }));
              if (event.type !== HttpEventType.Response || !event.body) return EMPTY;
              void router.navigate(['/takes', event.body.take.id]);
              return of(takesActions.harImported(event.body));
            }),
            orTell(takesActions.importFailed()),
            // Unsubscribing breaks the upload off, and the server keeps nothing of it.
            takeUntil(actions.pipe(ofType(takesActions.importCancelled))),
          ),
        ),
      ),
    { functional: true },
  ),
  imported: createEffect(
    (actions = inject(Actions)) =>
      actions.pipe(
        ofType(takesActions.harImported),
        map(({ exchangeCount, problems }) =>
          messageActions.told(
            problems.length === 0
              ? { tone: 'good', text: `Imported ${exchangeCount} exchanges.` }
              : {
                  tone: 'warn',
                  text: `Imported ${exchangeCount} exchanges. ${problems.length} entries were left out; the first is entry ${problems[0]?.entry ?? 0}: ${problems[0]?.text ?? ''}.`,
                },
          ),
        ),
      ),
    { functional: true },
  ),
  script: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(takesActions.scriptWanted),
        switchMap(({ takeId, options }) =>
          api.makeScript(takeId, options).pipe(
            tap((script) => void router.navigate(['/scripts', script.id])),
            map((script) => takesActions.scriptMade({ script })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  remove: createEffect(
    (actions = inject(Actions), api = inject(Api), router = inject(Router)) =>
      actions.pipe(
        ofType(takesActions.deleteWanted),
        switchMap(({ id }) =>
          api.deleteTake(id).pipe(
            tap(() => void router.navigate(['/takes'])),
            switchMap(() => concat(of(takesActions.listAsked()), of(projectActions.boardAsked()))),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
};
