import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import type { Script } from '@sturdy/core';
import { EMPTY, filter, forkJoin, map, switchMap, take, takeUntil, type Observable } from 'rxjs';
import type { Api } from '../shared/api';
import { liveStream } from '../shared/live-stream';
import { asking } from './asking';
import { concatLatestFrom } from './with-latest';
import { messageActions } from './messages';
import { onceSaved } from './once-saved';
import { projectActions } from './project.actions';
import { scriptsActions } from './scripts.actions';
import { scriptsFeature } from './scripts.feature';
import { takesActions } from './takes.actions';

/** What putting in a piece of a take came to. */
const pieceTold = (added: number, missing: readonly string[]): string =>
  missing.length === 0
    ? `${added} ${added === 1 ? 'step was' : 'steps were'} put in. All that they send is read in this script.`
    : `${added} ${added === 1 ? 'step was' : 'steps were'} put in. ${missing.join(', ')} is read nowhere in this script and is sent as recorded: hand it off, or bind it.`;

/** Asks something of the open script; nothing where none is open. */
const ofScript =
  <Asked, Answer>(ask: (api: Api, script: Script, asked: Asked) => Observable<Answer>) =>
  (api: Api, asked: Asked, store: Store): Observable<Answer> =>
    store.select(scriptsFeature.selectCurrent).pipe(
      take(1),
      switchMap((script) => (script ? ask(api, script, asked) : EMPTY)),
    );

/** The same once the server has the last change; it would work on the one before. */
const ofSavedScript =
  <Asked, Answer>(ask: (api: Api, script: Script, asked: Asked) => Observable<Answer>) =>
  (api: Api, asked: Asked, store: Store): Observable<Answer> =>
    ofScript<Asked, Answer>((_, script) => onceSaved(store.select(scriptsFeature.selectUnsaved), () => ask(api, script, asked)))(
      api,
      asked,
      store,
    );

export const scriptsEffects = {
  list: asking(
    [scriptsActions.listAsked],
    (api) => api.scripts(),
    (list) => scriptsActions.listLoaded({ list }),
  ),
  open: asking(
    [scriptsActions.scriptOpened],
    (api, { id }) => forkJoin([api.script(id), api.rehearsals(id)]),
    ([script, rehearsals]) => scriptsActions.scriptLoaded({ script, rehearsals }),
  ),
  save: asking(
    [scriptsActions.edited, scriptsActions.undone, scriptsActions.redone],
    ofScript((api, script) => api.saveScript(script).pipe(map((kept) => ({ sent: script, ...kept })))),
    (saved) => [
      scriptsActions.saved(saved),
      ...(saved.changedToo.length === 0
        ? []
        : [messageActions.told({ tone: 'good', text: `The part was changed in ${saved.changedToo.join(', ')} too.` })]),
    ],
    { quietMs: 250, failed: scriptsActions.saveFailed() },
  ),
  correlate: asking(
    [scriptsActions.correlateWanted],
    ofSavedScript((api, script, { secondTakeId }: { secondTakeId: string | null }) => api.correlate(script.id, secondTakeId)),
    (done) => scriptsActions.correlated(done),
    { failed: scriptsActions.workFailed() },
  ),
  cancelCorrelation: asking(
    [scriptsActions.correlationCancelled],
    ofScript((api, script) => api.cancelCorrelation(script.id)),
    () => [],
  ),
  followCorrelation: createEffect(
    (actions = inject(Actions), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.correlateWanted),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        filter(([, script]) => script !== null),
        switchMap(([, script]) =>
          liveStream(`/api/scripts/${script?.id ?? ''}/live`, ['correlating']).pipe(
            map(({ data }) => scriptsActions.workTold(data)),
            takeUntil(actions.pipe(ofType(scriptsActions.correlated, scriptsActions.workFailed))),
          ),
        ),
      ),
    { functional: true },
  ),
  rehearse: asking(
    [scriptsActions.rehearseWanted],
    ofSavedScript((api, script, { wish }: ReturnType<typeof scriptsActions.rehearseWanted>) => api.rehearse(script.id, wish)),
    (rehearsal) => scriptsActions.rehearsed({ rehearsal }),
    { failed: scriptsActions.workFailed(), goTo: ({ scriptId }) => ['/scripts', scriptId, 'rehearsal'] },
  ),
  command: asking(
    [scriptsActions.commandGiven],
    ofScript((api, script, { command }: ReturnType<typeof scriptsActions.commandGiven>) => api.commandRehearsal(script.id, command)),
    (rehearsal) => scriptsActions.rehearsed({ rehearsal }),
    { failed: scriptsActions.workFailed() },
  ),
  mend: asking(
    [scriptsActions.mendWanted],
    ofScript((api, script, { rehearsal }: ReturnType<typeof scriptsActions.mendWanted>) => api.mend(script.id, rehearsal)),
    (done) => scriptsActions.mended(done),
  ),
  repair: asking(
    [scriptsActions.repairWanted],
    ofSavedScript((api, script) => api.repair(script.id)),
    (done) => scriptsActions.repaired(done),
    { failed: scriptsActions.workFailed() },
  ),
  follow: createEffect(
    (actions = inject(Actions), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.rehearseWanted, scriptsActions.repairWanted, scriptsActions.commandGiven),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        filter(([, script]) => script !== null),
        switchMap(([, script]) =>
          liveStream(`/api/scripts/${script?.id ?? ''}/live`, ['step']).pipe(
            map(({ data }) => scriptsActions.stepPlayed(data)),
            takeUntil(actions.pipe(ofType(scriptsActions.rehearsed, scriptsActions.repaired, scriptsActions.workFailed))),
          ),
        ),
      ),
    { functional: true },
  ),
  // How it is read is what one wants to see next.
  handOff: asking(
    [scriptsActions.handOffWanted],
    ofSavedScript((api, script, { step, place, value }: ReturnType<typeof scriptsActions.handOffWanted>) =>
      api.handOff(script.id, { step, place, value }),
    ),
    ({ script }) => scriptsActions.bound({ script }),
    { goTo: ({ script, handoff }) => ['/scripts', script.id, 'handoffs', handoff] },
  ),
  piece: asking(
    [scriptsActions.pieceWanted],
    ofScript((api, script, { piece }: ReturnType<typeof scriptsActions.pieceWanted>) => api.insertFromTake(script.id, piece)),
    ({ script, added, missing }) => [
      scriptsActions.replaced({ script }),
      // The script has a take of its own now.
      takesActions.listAsked(),
      takesActions.takeOpened({ id: script.takeId }),
      scriptsActions.stepSelected({ step: added[0] ?? null }),
      messageActions.told({ tone: missing.length === 0 ? 'good' : 'warn', text: pieceTold(added.length, missing) }),
    ],
  ),
  parts: asking(
    [scriptsActions.partsAsked, scriptsActions.replaced],
    (api) => api.parts(),
    (parts) => scriptsActions.partsLoaded({ parts }),
  ),
  makePart: asking(
    [scriptsActions.partWanted],
    ofScript((api, script, { transaction }: ReturnType<typeof scriptsActions.partWanted>) => api.makePart(script.id, transaction)),
    (script) => scriptsActions.replaced({ script }),
  ),
  usePart: asking(
    [scriptsActions.partUseWanted],
    ofScript((api, script, { part, after }: ReturnType<typeof scriptsActions.partUseWanted>) => api.usePart(script.id, part, after)),
    ({ script, missing }) => [
      scriptsActions.replaced({ script }),
      ...(missing.length === 0
        ? []
        : [
            messageActions.told({
              tone: 'warn',
              text: `The part sends ${missing.join(', ')}, which this script reads nowhere: it is sent as recorded. Hand it off, or bind it.`,
            }),
          ]),
    ],
  ),
  remove: asking(
    [scriptsActions.deleteWanted],
    (api, { id }) => api.deleteScript(id),
    () => [scriptsActions.listAsked(), projectActions.boardAsked()],
  ),
};
