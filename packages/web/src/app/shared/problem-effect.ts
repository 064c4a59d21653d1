import { catchError, EMPTY, of, type Observable, type OperatorFunction } from 'rxjs';
import type { Action } from '@ngrx/store';
import { messageActions } from './messages';
import { problemOf } from './api';

/** Turns a failed call into a message on screen, and into further actions where given; the effect goes on. */
export function orTell<T>(...further: Action[]): OperatorFunction<T, T | Action> {
  return (source: Observable<T>) =>
    source.pipe(
      catchError((error: unknown) => {
        const told = messageActions.told({ tone: 'bad', text: problemOf(error) });
        return further.length === 0 ? of(told) : of(told, ...further);
      }),
    );
}

/** Drops a failed call silently: for polls, whose next turn will tell. */
export function orNothing<T>(): OperatorFunction<T, T> {
  return (source: Observable<T>) => source.pipe(catchError(() => EMPTY));
}
