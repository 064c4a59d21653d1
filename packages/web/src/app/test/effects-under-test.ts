import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { Actions } from '@ngrx/effects';
import { provideState, provideStore, Store, type Action } from '@ngrx/store';
import { Subject, type Observable } from 'rxjs';
import { Api } from '../shared/api';
import { scriptsFeature } from '../state/scripts.feature';

/** Effects of a feature at work: what is sent to them, and what they answer. */
export interface EffectsUnderTest {
  /** Sends an action to the store, and then to the effects, as NgRx does. */
  send: (action: Action) => void;
  /** What the effects answered; it is not sent on. */
  answered: Action[];
  /** Where they led to. */
  navigated: unknown[][];
}

/** Starts effects over an API of the test, whose methods it gives by name. */
export function startEffects(
  effects: Record<string, () => Observable<unknown>>,
  api: Partial<Record<keyof Api, unknown>>,
): EffectsUnderTest {
  const sent = new Subject<Action>();
  const navigated: unknown[][] = [];
  TestBed.configureTestingModule({
    providers: [
      provideZonelessChangeDetection(),
      provideStore(),
      provideState(scriptsFeature),
      { provide: Api, useValue: api },
      { provide: Actions, useValue: new Actions(sent) },
      { provide: Router, useValue: { navigate: (commands: unknown[]) => navigated.push(commands) } },
    ],
  });
  const answered: Action[] = [];
  const store = TestBed.inject(Store);
  TestBed.runInInjectionContext(() => {
    for (const effect of Object.values(effects)) effect().subscribe((action) => answered.push(action as Action));
  });
  const send = (action: Action): void => {
    store.dispatch(action);
    sent.next(action);
  };
  return { send, answered, navigated };
}
