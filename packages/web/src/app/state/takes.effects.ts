import { HttpEventType } from '@angular/common/http';
import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { EMPTY, forkJoin, map, of, switchMap, takeUntil } from 'rxjs';
import { liveStream } from '../shared/live-stream';
import { asking } from './asking';
import { messageActions } from './messages';
import { projectActions } from './project.actions';
import { takesActions } from './takes.actions';

export const takesEffects = {
  list: asking(
    [takesActions.listAsked],
    (api) => api.takes(),
    (list) => takesActions.listLoaded({ list }),
  ),
  open: asking(
    [takesActions.takeOpened],
    (api, { id }) => api.take(id),
    (loaded) => takesActions.takeLoaded(loaded),
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
  record: asking(
    [takesActions.recordingWanted],
    (api, { options }) => api.startRecording(options),
    (started) => takesActions.recordingStarted(started),
  ),
  mark: asking(
    [takesActions.markWanted],
    (api, { kind, text }) => api.mark(kind, text),
    (take) => takesActions.takeChanged({ take }),
  ),
  pause: asking(
    [takesActions.pauseWanted],
    (api, { paused }) => api.pauseRecording(paused),
    (take) => takesActions.takeChanged({ take }),
  ),
  discard: asking(
    [takesActions.discardWanted],
    (api, { count }) => api.discardLast(count),
    ({ exchanges }) => takesActions.exchangesDiscarded({ exchanges }),
  ),
  survey: asking(
    [takesActions.surveyAsked],
    (api, { id }) => api.survey(id),
    (survey, { id }) => takesActions.surveyLoaded({ id, survey }),
  ),
  search: asking(
    [takesActions.searchAsked],
    (api, { id, text }) => (text === '' ? EMPTY : api.searchTake(id, text)),
    ({ hits, more }, { text }) => takesActions.searchDone({ text, hits, more }),
    { quietMs: 250 },
  ),
  beside: asking(
    [takesActions.besideAsked],
    (api, { id, otherId }) => forkJoin([api.beside(id, otherId), api.take(otherId)]),
    ([rows, { take, exchanges }]) => takesActions.besideLoaded({ other: take, exchanges, rows }),
  ),
  paste: asking(
    [takesActions.curlPasted],
    (api, { name, text }) => api.pasteCurl(name, text),
    (imported) => takesActions.harImported(imported),
    { goTo: ({ take }) => ['/takes', take.id] },
  ),
  stop: asking(
    [takesActions.stopWanted],
    (api) => api.stopRecording(),
    (take) => takesActions.recordingStopped({ take }),
    { goTo: ({ id }) => ['/takes', id] },
  ),
  browser: asking(
    [takesActions.browserWanted],
    (api, { address }) => api.openBrowser(address),
    () => messageActions.told({ tone: 'good', text: 'A clean browser was opened. What it does is recorded.' }),
  ),
  // Who cancels breaks the upload off, and the server keeps nothing of it.
  importHar: asking(
    [takesActions.harChosen],
    (api, { name, file }) => api.importHar(name, file),
    (event, { file }) => {
      if (event.type === HttpEventType.UploadProgress)
        return takesActions.importProgressed({ loaded: event.loaded, total: event.total ?? file.size });
      return event.type === HttpEventType.Response && event.body ? takesActions.harImported(event.body) : [];
    },
    {
      failed: takesActions.importFailed(),
      until: [takesActions.importCancelled],
      goTo: (event) => (event.type === HttpEventType.Response && event.body ? ['/takes', event.body.take.id] : null),
    },
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
  script: asking(
    [takesActions.scriptWanted],
    (api, { takeId, options }) => api.makeScript(takeId, options),
    (script) => takesActions.scriptMade({ script }),
    { goTo: ({ id }) => ['/scripts', id] },
  ),
  remove: asking(
    [takesActions.deleteWanted],
    (api, { id }) => api.deleteTake(id),
    () => [takesActions.listAsked(), projectActions.boardAsked()],
    { goTo: () => ['/takes'] },
  ),
};
