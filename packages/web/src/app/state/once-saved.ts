import { filter, switchMap, take, type Observable } from 'rxjs';

/** Asks the server to do something with the script once it has the last change; it would work on the one before. */
export const onceSaved = <T>(unsaved: Observable<boolean>, ask: () => Observable<T>): Observable<T> =>
  unsaved.pipe(
    filter((isUnsaved) => !isUnsaved),
    take(1),
    switchMap(ask),
  );
