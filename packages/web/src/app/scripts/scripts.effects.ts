import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { concatLatestFrom } from './with-latest';
import { concat, debounceTime, filter, forkJoin, map, merge, of, switchMap, takeUntil, tap } from 'rxjs';
import { projectActions } from '../project/project';
import { Api } from '../shared/api';
import { liveStream } from '../shared/live-stream';
import { orTell } from '../shared/problem-effect';
import { scriptsActions } from './scripts.actions';
import { scriptsFeature } from './scripts.feature';

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
                map((saved) => scriptsActions.saved({ script: saved })),
                orTell(),
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
            ? api.correlate(script.id, secondTakeId).pipe(
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
            map(({ data }) => scriptsActions.workTold(data as { done: number; total: number })),
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
            ? api.rehearse(script.id, wish).pipe(
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
            ? api.repair(script.id).pipe(
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
            map(({ data }) => scriptsActions.stepPlayed(data as { step: string })),
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
            ? api.handOff(script.id, { step, place, value }).pipe(
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
