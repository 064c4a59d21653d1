import { effect, inject, type Signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { takesActions } from './takes.actions';
import { scriptsActions } from './scripts.actions';
import { scriptsFeature } from './scripts.feature';

/** Opens the script that the address names, and the take that it was made from; for the screens of a script. */
export function loadScriptOf(id: Signal<string>): void {
  const store = inject(Store);
  const script = store.selectSignal(scriptsFeature.selectCurrent);
  effect(() => {
    store.dispatch(scriptsActions.scriptOpened({ id: id() }));
  });
  effect(() => {
    const takeId = script()?.takeId;
    if (takeId !== undefined) store.dispatch(takesActions.takeOpened({ id: takeId }));
  });
}
