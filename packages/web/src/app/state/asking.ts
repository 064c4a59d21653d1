import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect } from '@ngrx/effects';
import { Store, type Action, type ActionCreator } from '@ngrx/store';
import { catchError, concatMap, debounceTime, filter, from, identity, of, switchMap, takeUntil, tap, type Observable } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import { messageActions } from './messages';

export interface AskingOptions<Answer, Asked> {
  /** One question after the other; else a new one takes the place of the one before. */
  inTurn?: boolean;
  /** Asks once nothing more has come for so many ms. */
  quietMs?: number;
  /** What follows a failed call, behind the message that tells of it. */
  failed?: Action;
  /** These actions break the call off. */
  until?: readonly ActionCreator[];
  /** The address that an answer leads to; null where it leads nowhere. */
  goTo?: (answer: Answer, asked: Asked) => readonly string[] | null;
}

/** What some action creators create. */
type Created<Creator extends ActionCreator> = ReturnType<Creator> & Action;

/** True for an action of one of these kinds. */
const isOf =
  <Creator extends ActionCreator>(creators: readonly Creator[]) =>
  (action: Action): action is Created<Creator> =>
    creators.some(({ type }) => type === action.type);

/**
 * The effect that most others are: asks the server when an action of one of these kinds comes, and turns its answer into actions. A call that fails
 * becomes a message on screen, and the effect goes on.
 */
export const asking = <Creator extends ActionCreator, Answer>(
  creators: readonly Creator[],
  ask: (api: Api, asked: Created<Creator>, store: Store) => Observable<Answer>,
  answered: (answer: Answer, asked: Created<Creator>) => Action | readonly Action[],
  { inTurn = false, quietMs, failed, until, goTo }: AskingOptions<Answer, Created<Creator>> = {},
) =>
  createEffect(
    (actions = inject(Actions), api = inject(Api), store = inject<Store>(Store), router = inject(Router)) => {
      const call = (asked: Created<Creator>): Observable<Action> =>
        ask(api, asked, store).pipe(
          tap((answer) => {
            const address = goTo?.(answer, asked);
            if (address) void router.navigate([...address]);
          }),
          concatMap((answer) => {
            const next = answered(answer, asked);
            return from('type' in next ? [next] : next);
          }),
          catchError((error: unknown) => {
            const message = messageActions.told({ tone: 'bad', text: problemOf(error) });
            return failed ? of(message, failed) : of(message);
          }),
          until ? takeUntil(actions.pipe(filter(isOf(until)))) : identity,
        );
      return actions.pipe(
        filter(isOf(creators)),
        quietMs === undefined ? identity : debounceTime(quietMs),
        inTurn ? concatMap(call) : switchMap(call),
      );
    },
    { functional: true },
  );
