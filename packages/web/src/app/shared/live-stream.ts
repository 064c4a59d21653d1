import { Observable } from 'rxjs';

/** Server-sent events of an address, of the given kinds; ends when nobody listens any more, and reconnects by itself. */
export function liveStream(address: string, kinds: readonly string[]): Observable<{ kind: string; data: unknown }> {
  return new Observable((listener) => {
    const source = new EventSource(address);
    for (const kind of kinds)
      source.addEventListener(kind, (event) => {
        listener.next({ kind, data: JSON.parse((event as MessageEvent<string>).data) as unknown });
      });
    return () => {
      source.close();
    };
  });
}
