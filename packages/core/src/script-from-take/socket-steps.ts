import { kindWords } from '../sockets/message-words.js';
import { isPlainWord, pathAndQuery } from '../take/messages.js';
import type { BodyReader, BodyRef, MessageExchange, RequestExchange } from '../take/take.schema.js';
import { jsonAt } from '../sockets/unfold-sockets.js';
import type { Checked } from '../check/check.schema.js';
import type { AnswerText } from '../answers/response-view.js';
import { usualAwaitMs, type Awaited } from '../actions/message/message.schema.js';

/** The names by which a script knows the WebSockets of a take: the last word of their path, made unique. */
export class SocketNames {
  readonly #names = new Map<number, string>();

  constructor(openings: readonly RequestExchange[]) {
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

const textOf = (body: BodyRef | null, readBody: BodyReader): string => (body ? (readBody(body.hash) ?? '') : '');

/** The word that says what a message is, for its name; undefined where it has none. */
export const messageWord = ({ action, sent, answer }: MessageExchange, readBody: BodyReader): string | undefined =>
  kindWords(textOf(action === 'await' ? answer : sent, readBody)).at(0)?.word;

/** Which message is waited for, by the one that came in the take; null where none did. */
export function awaitedOf({ answer, same }: MessageExchange, readBody: BodyReader): Awaited | null {
  if (!answer) return null;
  return {
    same,
    // An answer that is known by what it repeats may be of another kind, and is then told as wrong at once.
    holds: same.length > 0 ? [] : kindWords(textOf(answer, readBody)).map(isOfKind),
    atMostMs: usualAwaitMs,
  };
}

const isOfKind = ({ path, word }: { path: string | null; word: string }): Checked =>
  path === null
    ? { kind: 'text', text: [{ kind: 'text', text: word }], present: true }
    : { kind: 'value', extractor: { kind: 'jsonpath', path, pick: 'first' }, is: 'equals', than: [{ kind: 'text', text: word }] };

/** True where a message repeats what was sent at the places that tie the two. */
export const repeats = ({ same }: Pick<Awaited, 'same'>, sent: string, received: AnswerText): boolean =>
  same.every((place) => {
    const wanted = jsonAt(sent, place);
    return wanted !== undefined && jsonAt(received.body, place) === wanted;
  });
