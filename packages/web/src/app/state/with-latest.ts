import { concatMap, first, map, type Observable, type OperatorFunction } from 'rxjs';

/** Adds the latest value of another stream, asked for only when something comes. */
export function concatLatestFrom<T, L>(latest: () => Observable<L>): OperatorFunction<T, [T, L]> {
  return concatMap((value: T) =>
    latest().pipe(
      first(),
      map((latest): [T, L] => [value, latest]),
    ),
  );
}
