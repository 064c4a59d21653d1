import { isPlainWord } from '../take/messages.js';
import { isBareId, sameThing } from './naming.js';

/** Values that stand in many places by chance. */
export const isWeak = (value: string): boolean => /^(true|false|null|on|off|yes|no|\d{1,3}|(19|20)\d\d|[a-z]{1,3})$/i.test(value);

const bits = 22;
const isAlphanumeric = (code: number): boolean => (code >= 48 && code <= 57) || (code >= 65 && code <= 90) || (code >= 97 && code <= 122);

/** Calls back with a hash of each run of letters and digits (FNV-1a, 32 bits folded) and its place, until one is accepted. */
function someRun(text: string, accepts: (hash: number, length: number, end: number) => boolean): boolean {
  let hash = 0x811c9dc5;
  let length = 0;
  for (let at = 0; at <= text.length; at++) {
    const code = at < text.length ? text.charCodeAt(at) : 0;
    if (isAlphanumeric(code)) {
      // Case is folded, because ids are written in either.
      hash = Math.imul(hash ^ (code | 32), 0x01000193);
      length++;
    } else if (length > 0) {
      if (accepts((hash ^ (hash >>> bits)) & ((1 << bits) - 1), length, at)) return true;
      hash = 0x811c9dc5;
      length = 0;
    }
  }
  return false;
}

/** How far before a value its name is looked for. */
const longestBefore = 24;
const lastWord = /([A-Za-z][\w-]*)[^A-Za-z0-9]*$/;
/** Letters, digits and what joins them: . , - / : _ */
const isOfWord = (code: number): boolean => isAlphanumeric(code) || (code >= 44 && code <= 47) || code === 58 || code === 95;

/**
 * What is looked for in responses: the values that requests send. Those that stand everywhere by chance are wanted only under a name
 * of the thing that they are sent for, unless a second take shows that they move.
 */
export class Wanted {
  readonly #strong = new Set<string>();
  readonly #weak = new Map<string, Set<string>>();
  /** One bit for the hash of a run of letters and digits of each strong value. */
  readonly #runs = new Uint8Array(1 << bits);

  readonly #weakRuns = new Uint8Array(1 << bits);

  constructor(readonly moving: ReadonlySet<string>) {}

  add(value: string, name: string): void {
    if (value === '') return;
    if (this.moving.has(value)) this.#addStrong(value);
    else if (isWeak(value)) {
      if (!/\d/.test(value)) return;
      this.#weak.set(value, (this.#weak.get(value) ?? new Set()).add(name));
      someRun(value, (hash) => {
        this.#weakRuns[hash] = 1;
        return false;
      });
    } else if (!isPlainWord(value)) this.#addStrong(value);
  }

  /** A value that a pattern knows is looked for even where it is a plain word; one that stands everywhere still needs its name. */
  addKnown(value: string): void {
    if (value !== '' && !isWeak(value)) this.#addStrong(value);
  }

  #addStrong(value: string): void {
    if (this.#strong.has(value)) return;
    this.#strong.add(value);
    let longest = 0;
    let best = -1;
    someRun(value, (hash, length) => {
      // Its first and last runs may be part of a longer one where it was cut out; a page that holds them is not told by them.
      if (length > longest) {
        longest = length;
        best = hash;
      }
      return false;
    });
    if (best >= 0) this.#runs[best] = 1;
  }

  /** True for a value that was sent, under this name where it stands everywhere. */
  has(value: string, name: string): boolean {
    if (this.#strong.has(value)) return true;
    const names = this.#weak.get(value);
    return names !== undefined && (isBareId(name) || [...names].some((one) => isBareId(one) || sameThing(one, name)));
  }

  /** True where a text may hold a value that does not stand everywhere; linear in the text, and most texts end here. */
  mayBeIn(text: string): boolean {
    return someRun(text, (hash) => this.#runs[hash] === 1);
  }

  /** The same for values that stand everywhere too: true where it is worth reading what the body is made of. */
  mayBeAnywhereIn(body: string): boolean {
    return someRun(
      body,
      (hash, length, end) => this.#runs[hash] === 1 || (this.#weakRuns[hash] === 1 && this.#mayBeNamed(body, end - length, end)),
    );
  }

  /**
   * True where a value that stands everywhere may have a name that it is wanted by. In running text that is the word before it
   * (`lot-3`, “Row 3”), and right behind a tag there is none; everywhere else markup may name it.
   */
  #mayBeNamed(body: string, start: number, end: number): boolean {
    let from = start;
    while (from > 0 && start - from < longestBefore && isOfWord(body.charCodeAt(from - 1))) from--;
    const before = body[from - 1] ?? '>';
    if (before !== '>' && before !== ' ') return true;
    const name = lastWord.exec(body.slice(from, start))?.[1];
    if (name !== undefined) return this.has(body.slice(start, end), name);
    if (before === '>') return false;
    const wordBefore = lastWord.exec(body.slice(Math.max(0, from - longestBefore), from))?.[1];
    return wordBefore === undefined || this.has(body.slice(start, end), wordBefore);
  }

  strong(): Iterable<string> {
    return this.#strong;
  }
}
