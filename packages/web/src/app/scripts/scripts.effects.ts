import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { onceSaved } from './once-saved';
import { concatLatestFrom } from './with-latest';
import { concat, concatMap, debounceTime, filter, forkJoin, map, merge, of, switchMap, takeUntil, tap } from 'rxjs';
import { projectActions } from '../project/project';
import { Api } from '../shared/api';
import { liveStream } from '../shared/live-stream';
import { messageActions } from '../shared/messages';
import { orTell } from '../shared/problem-effect';
import { takesActions } from '../takes/takes.actions';
import { scriptsActions } from './scripts.actions';
import { scriptsFeature } from './scripts.feature';

/** What putting in a piece of a take came to. */
const pieceTold = (added: number, missing: readonly string[]): string =>
  missing.length === 0
    ? `${added} ${added === 1 ? 'step was' : 'steps were'} put in. All that they send is read in this script.`
    : `${added} ${added === 1 ? 'step was' : 'steps were'} put in. ${missing.join(', ')} is read nowhere in this script and is sent as recorded: hand it off, or bind it.`;

export const scriptsEffects = {
  list: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(scriptsActions.listAsked),
        switchMap(() =>
          api.scripts().pipe(
            map((list) => scriptsActions.listLoaded({ list })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  open: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(scriptsActions.scriptOpened),
        switchMap(({ id }) =>
          forkJoin([api.script(id), api.rehearsals(id)]).pipe(
            map(([script, rehearsals]) => scriptsActions.scriptLoaded({ script, rehearsals })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  save: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.edited, scriptsActions.undone, scriptsActions.redone),
        debounceTime(250),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([, script]) =>
          script
            ? api.saveScript(script).pipe(
                concatMap((kept) =>
                  of(
                    scriptsActions.saved({ sent: script, ...kept }),
                    ...(kept.changedToo.length === 0
                      ? []
                      : [messageActions.told({ tone: 'good', text: `The part was changed in ${kept.changedToo.join(', ')} too.` })]),
                  ),
                ),
                orTell(scriptsActions.saveFailed()),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  correlate: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.correlateWanted),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([{ secondTakeId }, script]) =>
          script
            ? onceSaved(store.select(scriptsFeature.selectUnsaved), () => api.correlate(script.id, secondTakeId)).pipe(
                map((done) => scriptsActions.correlated(done)),
                orTell(scriptsActions.workFailed()),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  cancelCorrelation: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.correlationCancelled),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([, script]) => (script ? api.cancelCorrelation(script.id).pipe(orTell()) : of())),
      ),
    { functional: true, dispatch: false },
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
  rehearse: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store), router = inject(Router)) =>
      actions.pipe(
        ofType(scriptsActions.rehearseWanted),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([{ wish }, script]) =>
          script
            ? onceSaved(store.select(scriptsFeature.selectUnsaved), () => api.rehearse(script.id, wish)).pipe(
                tap(() => void router.navigate(['/scripts', script.id, 'rehearsal'])),
                map((rehearsal) => scriptsActions.rehearsed({ rehearsal })),
                orTell(scriptsActions.workFailed()),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  order: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.orderGiven),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([{ order }, script]) =>
          script
            ? api.orderRehearsal(script.id, order).pipe(
                map((rehearsal) => scriptsActions.rehearsed({ rehearsal })),
                orTell(scriptsActions.workFailed()),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  mend: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.mendWanted),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([{ rehearsal }, script]) =>
          script
            ? api.mend(script.id, rehearsal).pipe(
                map((done) => scriptsActions.mended(done)),
                orTell(),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  repair: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.repairWanted),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([, script]) =>
          script
            ? onceSaved(store.select(scriptsFeature.selectUnsaved), () => api.repair(script.id)).pipe(
                map((done) => scriptsActions.repaired(done)),
                orTell(scriptsActions.workFailed()),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  follow: createEffect(
    (actions = inject(Actions), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.rehearseWanted, scriptsActions.repairWanted, scriptsActions.orderGiven),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        filter(([, script]) => script !== null),
        switchMap(([, script]) =>
          liveStream(`/api/scripts/${script?.id ?? ''}/live`, ['step']).pipe(
            map(({ data }) => scriptsActions.stepPlayed(data)),
            takeUntil(merge(actions.pipe(ofType(scriptsActions.rehearsed, scriptsActions.repaired, scriptsActions.workFailed)))),
          ),
        ),
      ),
    { functional: true },
  ),
  handOff: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store), router = inject(Router)) =>
      actions.pipe(
        ofType(scriptsActions.handOffWanted),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([{ step, place, value }, script]) =>
          script
            ? onceSaved(store.select(scriptsFeature.selectUnsaved), () => api.handOff(script.id, { step, place, value })).pipe(
                // How it is read is what one wants to see next.
                tap(({ handoff }) => void router.navigate(['/scripts', script.id, 'handoffs', handoff])),
                map((done) => scriptsActions.bound({ script: done.script })),
                orTell(),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  piece: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.pieceWanted),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([{ piece }, script]) =>
          script
            ? api.insertFromTake(script.id, piece).pipe(
                concatMap(({ script: done, added, missing }) =>
                  of(
                    scriptsActions.replaced({ script: done }),
                    // The script has a take of its own now.
                    takesActions.listAsked(),
                    takesActions.takeOpened({ id: done.takeId }),
                    scriptsActions.stepSelected({ step: added[0] ?? null }),
                    messageActions.told({ tone: missing.length === 0 ? 'good' : 'warn', text: pieceTold(added.length, missing) }),
                  ),
                ),
                orTell(),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  parts: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(scriptsActions.partsAsked, scriptsActions.replaced),
        switchMap(() =>
          api.parts().pipe(
            map((parts) => scriptsActions.partsLoaded({ parts })),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
  makePart: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.partWanted),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([{ transaction }, script]) =>
          script
            ? api.makePart(script.id, transaction).pipe(
                map((done) => scriptsActions.replaced({ script: done })),
                orTell(),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  usePart: createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
      actions.pipe(
        ofType(scriptsActions.partUseWanted),
        concatLatestFrom(() => store.select(scriptsFeature.selectCurrent)),
        switchMap(([{ part, after }, script]) =>
          script
            ? api.usePart(script.id, part, after).pipe(
                concatMap(({ script: done, missing }) =>
                  of(
                    scriptsActions.replaced({ script: done }),
                    ...(missing.length === 0
                      ? []
                      : [
                          messageActions.told({
                            tone: 'warn',
                            text: `The part sends ${missing.join(', ')}, which this script reads nowhere: it is sent as recorded. Hand it off, or bind it.`,
                          }),
                        ]),
                  ),
                ),
                orTell(),
              )
            : of(),
        ),
      ),
    { functional: true },
  ),
  remove: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(scriptsActions.deleteWanted),
        switchMap(({ id }) =>
          api.deleteScript(id).pipe(
            switchMap(() => concat(of(scriptsActions.listAsked()), of(projectActions.boardAsked()))),
            orTell(),
          ),
        ),
      ),
    { functional: true },
  ),
};
