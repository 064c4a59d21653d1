import { kindWords } from '../sockets/message-words.js';
import { isPlainWord, pathAndQuery } from '../take/messages.js';
import type { BodyReader, Exchange } from '../take/take.schema.js';
import { jsonAt } from '../sockets/unfold-sockets.js';
import type { Checked } from '../check/check.schema.js';
import type { ResponseView } from '../answers/response-view.js';
import type { Awaited, SocketUse } from '../actions/http/request.schema.js';

/** ms that a message is waited for where the script does not say otherwise. */
export const usualAwaitMs = 10_000;

/** The names by which a script knows the WebSockets of a take: the last word of their path, made unique. */
export class SocketNames {
  readonly #names = new Map<number, string>();

  constructor(openings: readonly Exchange[]) {
    const taken = new Set<string>();
    for (const opening of openings) {
      const word = (pathAndQuery(opening.url).split('?')[0] ?? '').split('/').findLast(isPlainWord) ?? 'socket';
      let name = word;
      for (let at = 2; taken.has(name); at++) name = `${word} ${at}`;
      taken.add(name);
      this.#names.set(opening.n, name);
    }
  }

  of(n: number): string {
    return this.#names.get(n) ?? 'socket';
  }
}

const textOf = (body: Exchange['requestBody'] | undefined, readBody: BodyReader): string => (body ? (readBody(body.hash) ?? '') : '');

/** The word that says what a message is, for its name; undefined where it has none. */
export function socketWord({ socket, requestBody, response }: Exchange, readBody: BodyReader): string | undefined {
  return kindWords(textOf(socket?.action === 'await' ? response?.body : requestBody, readBody)).at(0)?.word;
}

/** What a step made of an exchange does with a WebSocket; undefined where it has none. */
export function socketUse(exchange: Exchange, names: SocketNames, readBody: BodyReader): SocketUse | undefined {
  const { socket, response } = exchange;
  if (!socket) return response?.status === 101 ? { action: 'open', socket: names.of(exchange.n) } : undefined;
  const name = names.of(socket.openedBy);
  if (socket.action === 'close') return { action: 'close', socket: name };
  const awaits: Awaited | null =
    response?.body === null || response?.body === undefined
      ? null
      : {
          same: socket.same,
          // An answer that is known by what it repeats may be of another kind, and is then told as wrong at once.
          holds: socket.same.length > 0 ? [] : kindWords(textOf(response.body, readBody)).map(isOfKind),
          atMostMs: usualAwaitMs,
        };
  if (socket.action === 'send') return { action: 'send', socket: name, format: socket.format, awaits };
  return { action: 'await', socket: name, awaits: awaits ?? { same: [], holds: [], atMostMs: usualAwaitMs } };
}

const isOfKind = ({ path, word }: { path: string | null; word: string }): Checked =>
  path === null
    ? { kind: 'text', text: [{ kind: 'text', text: word }], present: true }
    : { kind: 'value', extractor: { kind: 'jsonpath', path, pick: 'first' }, is: 'equals', than: [{ kind: 'text', text: word }] };

/** True where a message repeats what was sent at the places that tie the two. */
export const repeats = ({ same }: Pick<Awaited, 'same'>, sent: string, received: ResponseView): boolean =>
  same.every((place) => {
    const wanted = jsonAt(sent, place);
    return wanted !== undefined && jsonAt(received.body, place) === wanted;
  });
