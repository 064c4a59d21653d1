import { isPlainWord } from '../../take/messages.js';
import { isBareId, sameThing } from './naming.js';

/** Values that stand in many places by chance. */
export const isWeak = (value: string): boolean => /^(true|false|null|on|off|yes|no|\d{1,3}|(19|20)\d\d|[a-z]{1,3})$/i.test(value);

const isAlphanumeric = (code: number): boolean => (code >= 48 && code <= 57) || (code >= 65 && code <= 90) || (code >= 97 && code <= 122);

/** What a sign counts as in the hash of a run: its code in small letters, because ids are written in either; 0 for what ends a run. */
const folded = Uint8Array.from({ length: 256 }, (_, code) => (isAlphanumeric(code) ? code | 32 : 0));

// FNV-1a (draft-eastlake-fnv, 32 bits): start and prime.
const hashStart = 0x811c9dc5;
const hashPrime = 0x01000193;
const bits = 22;
/** A small table is asked first: it stays in the cache of the processor, and nearly all runs end there. */
const smallBits = 16;
const placeIn = (hash: number, width: number): number => (hash ^ (hash >>> width)) & ((1 << width) - 1);

/** The hashes of the runs of letters and digits in a value, with their lengths. */
function runsOf(text: string): { hash: number; length: number }[] {
  const found: { hash: number; length: number }[] = [];
  for (const [run] of text.matchAll(/[A-Za-z0-9]+/g)) {
    let hash = hashStart;
    for (let at = 0; at < run.length; at++) hash = Math.imul(hash ^ (folded[run.charCodeAt(at)] ?? 0), hashPrime);
    found.push({ hash, length: run.length });
  }
  return found;
}

const isStrongRun = 1;
const isWeakRun = 2;

interface RunTables {
  small: Uint8Array;
  large: Uint8Array;
}

/** Remembers runs of letters and digits; says quickly of nearly all others that they were not added. */
class Runs {
  readonly #small: Uint8Array;
  readonly #large: Uint8Array;

  constructor(readonly tables: RunTables) {
    this.#small = tables.small;
    this.#large = tables.large;
  }

  add(hash: number, kind: number): void {
    const [small, large] = [placeIn(hash, smallBits), placeIn(hash, bits)];
    this.#small[small] = (this.#small[small] ?? 0) | kind;
    this.#large[large] = (this.#large[large] ?? 0) | kind;
  }

  /**
   * True where a part of a text holds a run that was added as a strong one, or as a weak one that `accepts` where it stands. Each sign is
   * looked at once, and nothing is called but for weak runs: long takes are hundreds of millions of signs.
   */
  someIn(signs: Uint8Array, from: number, to: number, accepts: ((start: number, end: number) => boolean) | null): boolean {
    const [small, large] = [this.#small, this.#large];
    const kinds = accepts ? isStrongRun | isWeakRun : isStrongRun;
    let hash = hashStart;
    let length = 0;
    for (let at = from; at <= to; at++) {
      const sign = at < to ? (folded[signs[at] ?? 0] ?? 0) : 0;
      if (sign !== 0) {
        hash = Math.imul(hash ^ sign, hashPrime);
        length++;
      } else if (length > 0) {
        if (((small[placeIn(hash, smallBits)] ?? 0) & kinds) !== 0) {
          const kind = large[placeIn(hash, bits)] ?? 0;
          if ((kind & isStrongRun) !== 0) return true;
          if ((kind & isWeakRun) !== 0 && accepts?.(at - length, at) === true) return true;
        }
        hash = hashStart;
        length = 0;
      }
    }
    return false;
  }
}

/** Texts shorter than this are copied sign by sign. */
const shortText = 200;

/** The signs of a text as bytes, which are read several times faster than those of a string; what is not ASCII is 0. */
class Signs {
  readonly #encoder = new TextEncoder();
  #text = '';
  #bytes = new Uint8Array(1 << 16);

  /** Valid until the next call. */
  of(text: string): Uint8Array {
    if (text === this.#text) return this.#bytes;
    this.#text = text;
    if (this.#bytes.length < text.length) this.#bytes = new Uint8Array(2 * text.length);
    if (text.length < shortText)
      for (let at = 0; at < text.length; at++) {
        const code = text.charCodeAt(at);
        this.#bytes[at] = code < 128 ? code : 0;
      }
    else {
      const { read, written } = this.#encoder.encodeInto(text, this.#bytes);
      // Signs of several bytes would move all places behind them.
      if (read !== text.length || written !== text.length) this.#encoder.encodeInto(text.replace(/[^\0-\x7f]/g, '\0'), this.#bytes);
    }
    return this.#bytes;
  }
}

const closesTag = '>'.charCodeAt(0);

/** So many names are remembered. */
const mostAnswers = 10_000;

const isNamedByAny = (name: string, names: ReadonlySet<string>): boolean => {
  if (isBareId(name)) return true;
  for (const knownName of names) if (isBareId(knownName) || sameThing(knownName, name)) return true;
  return false;
};

/** How far before a value its name is looked for. */
const longestBefore = 24;
/** Letters, digits and what joins them: . , - / : _ */
const isOfWord = (code: number): boolean => isAlphanumeric(code) || (code >= 44 && code <= 47) || code === 58 || code === 95;

const isLetter = (code: number): boolean => (code >= 65 && code <= 90) || (code >= 97 && code <= 122);
/** Signs of a name: letters, digits, - and _. */
const isOfName = (code: number): boolean => isAlphanumeric(code) || code === 45 || code === 95;

/** The last name in a part of a text, from its first letter on; undefined where there is none. It is asked for with every number of a page. */
function lastName(text: string, from: number, to: number): string | undefined {
  let last = to - 1;
  while (last >= from && !isAlphanumeric(text.charCodeAt(last))) last--;
  if (last < from) return undefined;
  let end = last + 1;
  while (end < to && isOfName(text.charCodeAt(end))) end++;
  let start = last;
  while (start > from && isOfName(text.charCodeAt(start - 1))) start--;
  while (start <= last && !isLetter(text.charCodeAt(start))) start++;
  return start > last ? undefined : text.slice(start, end);
}

/** What is looked for in responses, as plain data that another thread can be given. */
export interface WantedData {
  moving: ReadonlySet<string>;
  /** Values that do not stand everywhere. */
  strong: Set<string>;
  /** Values that stand everywhere, each with the names that it is sent by. */
  weak: Map<string, Set<string>>;
  /** The names of all of these. */
  weakNames: Set<string>;
  runs: RunTables;
}

/**
 * What is looked for in responses: the values that requests send. Those that stand everywhere by chance are wanted only under a name
 * of the thing that they are sent for, unless a second take shows that they move.
 */
export class Wanted {
  readonly moving: ReadonlySet<string>;
  readonly #strong: Set<string>;
  readonly #weak: Map<string, Set<string>>;
  /** A run of each value. */
  readonly #runs: Runs;
  readonly #signs = new Signs();
  /** The names of all values that stand everywhere. */
  readonly #weakNames: Set<string>;
  readonly #nameAnswers = new Map<string, boolean>();

  private constructor(readonly data: WantedData) {
    this.moving = data.moving;
    this.#strong = data.strong;
    this.#weak = data.weak;
    this.#weakNames = data.weakNames;
    this.#runs = new Runs(data.runs);
  }

  /** Nothing yet; `moving` are the values that differ from those of a second take. */
  static nothing(moving: ReadonlySet<string>): Wanted {
    const runs = { small: new Uint8Array(1 << smallBits), large: new Uint8Array(1 << bits) };
    return new Wanted({ moving, strong: new Set(), weak: new Map(), weakNames: new Set(), runs });
  }

  /** What another thread has collected. */
  static from(data: WantedData): Wanted {
    return new Wanted(data);
  }

  add(value: string, name: string): void {
    if (value === '') return;
    if (this.moving.has(value)) this.#addStrong(value);
    else if (isWeak(value)) {
      if (!/\d/.test(value)) return;
      this.#weak.set(value, (this.#weak.get(value) ?? new Set()).add(name));
      if (!this.#weakNames.has(name)) this.#nameAnswers.clear();
      this.#weakNames.add(name);
      for (const { hash } of runsOf(value)) this.#runs.add(hash, isWeakRun);
    } else if (!isPlainWord(value)) this.#addStrong(value);
  }

  /** A value that a pattern knows is looked for even where it is a plain word; one that stands everywhere still needs its name. */
  addKnown(value: string): void {
    if (value !== '' && !isWeak(value)) this.#addStrong(value);
  }

  #addStrong(value: string): void {
    if (this.#strong.has(value)) return;
    this.#strong.add(value);
    // Its first and last runs may be part of a longer one where it was cut out, so a page is told by its longest run.
    const [longest] = runsOf(value).sort((left, right) => right.length - left.length);
    if (longest) this.#runs.add(longest.hash, isStrongRun);
  }

  /** True for a value that was sent, under this name where it stands everywhere. */
  has(value: string, name: string): boolean {
    if (this.#strong.has(value)) return true;
    const names = this.#weak.get(value);
    return names !== undefined && this.#isWantedName(name) && isNamedByAny(name, names);
  }

  /** True for a name by which any value that stands everywhere is wanted; a page asks for the same few names again and again. */
  #isWantedName(name: string): boolean {
    let isWanted = this.#nameAnswers.get(name);
    if (isWanted === undefined) {
      isWanted = isNamedByAny(name, this.#weakNames);
      if (this.#nameAnswers.size < mostAnswers) this.#nameAnswers.set(name, isWanted);
    }
    return isWanted;
  }

  /** True where a text may hold a value that does not stand everywhere; linear in the text, and most texts end here. */
  mayBeIn(text: string): boolean {
    return this.#runs.someIn(this.#signs.of(text), 0, text.length, null);
  }

  /** The same for values that stand everywhere too, in a part of a body: true where it is worth reading what that is made of. */
  mayBeAnywhereIn(body: string, from = 0, to = body.length): boolean {
    return this.#runs.someIn(this.#signs.of(body), from, to, (start, end) => this.#mayBeNamed(body, start, end));
  }

  /**
   * True where a value that stands everywhere may have a name that it is wanted by. In running text that is the word before it
   * (`lot-3`, “Row 3”), and right behind a tag there is none; everywhere else markup may name it.
   */
  #mayBeNamed(body: string, start: number, end: number): boolean {
    // Right behind a tag stands no name.
    if (body.charCodeAt(start - 1) === closesTag) return false;
    let from = start;
    while (from > 0 && start - from < longestBefore && isOfWord(body.charCodeAt(from - 1))) from--;
    const before = body[from - 1] ?? '>';
    if (before !== '>' && before !== ' ') return true;
    let name = lastName(body, from, start);
    if (name === undefined) {
      if (before === '>') return false;
      name = lastName(body, Math.max(0, from - longestBefore), from);
      if (name === undefined) return true;
    }
    // Most names end here, before the value itself is cut out and looked up.
    return this.#isWantedName(name) && this.has(body.slice(start, end), name);
  }

  strong(): Iterable<string> {
    return this.#strong;
  }
}
