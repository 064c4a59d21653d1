import { liveEvents, type LiveEvent, type LiveEventKind } from '@sturdy/core';
import { Observable } from 'rxjs';

/** An event as it came, read by the schema of its kind, which the compiler cannot tell. Throws where it is not of that kind. */
const eventOf = <Kind extends LiveEventKind>(kind: Kind, text: string): LiveEvent<Kind> =>
  ({ kind, data: liveEvents[kind].parse(JSON.parse(text)) }) as LiveEvent<Kind>;

/** Server-sent events of an address, of the given kinds; ends when nobody listens any more, and reconnects by itself. */
export function liveStream<Kind extends LiveEventKind>(address: string, kinds: readonly Kind[]): Observable<LiveEvent<Kind>> {
  return new Observable((listener) => {
    const source = new EventSource(address);
    for (const kind of kinds)
      source.addEventListener(kind, (event: MessageEvent<string>) => {
        listener.next(eventOf(kind, event.data));
      });
    return () => {
      source.close();
    };
  });
}
