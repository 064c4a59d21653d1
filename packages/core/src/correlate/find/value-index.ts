import type { Exchange, LoadedTake } from '../../take/take.schema.js';
import { headerOf, pathAndQuery } from '../../take/messages.js';
import { answeredAtMs } from '../../sockets/unfold-sockets.js';
import { encode } from '../../values/encoding.js';
import { matchesOf } from '../../extractors/extract.js';
import type { AnswerText } from '../../answers/response-view.js';
import { recordedSteps, type Script } from '../../script/script.schema.js';
import { exchangesOf } from '../../actions/action-kinds.js';
import type { Encoding } from '../../values/template.schema.js';
import type { Extractor } from '../../extractors/extractor.schema.js';
import { sentNodes } from '../../actions/sent-parts.js';
import { isLeaf, type SentNode } from '../../actions/sent-values.js';
import { isBareId, sameName, sameThing } from './naming.js';
import { readsAsTyped } from './person-inputs.js';
import { AnswerReader } from './answer-reader.js';
import { ParsedViews } from './parsed-views.js';
import { extractorsFor } from './proposals.js';
import type { ReceivedValue } from './received-values.js';
import { isSpeltId, spelling } from './spelling.js';
import { isWeak, Wanted, type WantedData } from './wanted.js';
import { wordsOf } from './words.js';
import { answerHeaders, sentHeaders } from '../../take/exchanges.js';

/** A value seen in a response. */
export interface Occurrence {
  exchange: Exchange;
  received: ReceivedValue;
}

/** A proposed way to read a value. */
export interface Origin {
  exchange: Exchange;
  /** What stands there. */
  value: string;
  extractor: Extractor;
  /** True where it is one of several. */
  listed: boolean;
  /** True where a form offers it as a choice. */
  choice: boolean;
  /** True where it is called there as it is where it is sent, or the address of the one names the other. */
  linked: boolean;
  /** What it is called there. */
  name: string;
}

/** Hears how much of a long piece of work is done. */
export type Progress = (done: number, total: number) => void;

/** HAR files give times in whole milliseconds, so an answer may seem to end a little after the request it led to. */
const clockGrainMs = 1;

/** When each response had ended, in ms; a redirect had at the latest when its target was asked for. */
function endTimes(exchanges: readonly Exchange[]): Map<number, number> {
  const ends = new Map<number, number>();
  const askedLater = new Map<string, Exchange>();
  for (const exchange of [...exchanges].reverse()) {
    let end = answeredAtMs(exchange);
    const location = headerOf(answerHeaders(exchange), 'location');
    if (location !== undefined && URL.canParse(location, exchange.url)) {
      const next = askedLater.get(new URL(location, exchange.url).href.replace(/#.*$/, ''));
      if (next) end = Math.min(end, next.startedAtMs);
    }
    ends.set(exchange.n, end);
    askedLater.set(exchange.url.replace(/#.*$/, ''), exchange);
  }
  return ends;
}

/** Other spellings of an id in which a page may have held it. */
const spellings: readonly Encoding[] = ['lower', 'upper', 'bare'];

/** Where each sent value of a take was first seen and where it can be read; built once, linear in the bytes of the take. */
export class ValueIndex {
  /** What is looked for in the answers; plain data, so that other threads can look too. */
  readonly wanted: WantedData;
  /** The answers in which it is looked for, by their numbers in the take. */
  readonly answers: readonly number[];
  readonly #received = new Map<string, Occurrence[]>();
  readonly #firstSentMs = new Map<string, number>();
  /** By name and value, so that a 1 that says one thing is not taken for a 1 that says another. */
  readonly #firstSentAsMs = new Map<string, number>();
  readonly #sentBy = new Map<number, Set<string>>();
  readonly #views: ParsedViews;
  readonly #endMs: Map<number, number>;
  readonly #byNumber: Map<number, Exchange>;
  /** Texts that were sent and that no response had given before: what people typed. */
  readonly #typed = new Set<string>();
  readonly #typedInTurn: { text: string; sentMs: number }[] = [];
  readonly #sameForm = new Map<string, number>();
  /** Values as sent, by the spelling that ids are compared in. */
  readonly #spelt = new Map<string, Occurrence[]>();

  /** Reads the requests; the answers are read afterwards, by `readAnswers` or by others. */
  constructor(
    readonly loaded: LoadedTake,
    script: Script,
    /** Values that differ from those of a second take. */
    readonly moving: ReadonlySet<string> = new Set(),
    /** Says which sent values a handoff pattern knows. */
    known: (value: string, name: string, place: string) => boolean = () => false,
  ) {
    this.#views = new ParsedViews(loaded);
    this.#endMs = endTimes(loaded.exchanges);
    this.#byNumber = new Map(loaded.exchanges.map((exchange) => [exchange.n, exchange]));
    this.wanted = this.#readRequests(script, moving, known).data;
    this.answers = recordedSteps(script).flatMap(({ step }) => exchangesOf(step));
  }

  /** The index of a take with its answers read. */
  static of(...given: ConstructorParameters<typeof ValueIndex>): ValueIndex {
    const index = new ValueIndex(...given);
    index.readAnswers(() => undefined);
    return index;
  }

  /** Reads all answers, one after the other. */
  readAnswers(onProgress: Progress): void {
    const reader = new AnswerReader(this.wanted);
    for (const [at, n] of this.answers.entries()) {
      const view = this.view(n);
      if (view) this.addAnswer(n, reader.read(view));
      onProgress(at + 1, this.answers.length);
    }
  }

  /** Takes in what was read from an answer; answers come in the order of `answers`. */
  addAnswer(n: number, values: readonly ReceivedValue[]): void {
    const exchange = this.#byNumber.get(n);
    if (!exchange) return;
    for (const received of values) {
      add(this.#received, received.value, { exchange, received });
      if (isSpeltId(received.value)) add(this.#spelt, spelling(received.value), { exchange, received });
    }
  }

  /** Everything that requests send: whole values, and the words of them. */
  #readRequests(script: Script, moving: ReadonlySet<string>, known: (value: string, name: string, place: string) => boolean): Wanted {
    const wanted = Wanted.nothing(moving);
    for (const { step } of recordedSteps(script)) {
      const exchange = step.exchange === null ? undefined : this.#byNumber.get(step.exchange);
      if (!exchange) continue;
      const sentValues = new Set<string>();
      const walk = (node: SentNode) => {
        sentValues.add(node.value);
        wanted.add(node.value, node.name);
        if (!node.isName && known(node.value, node.name, node.place)) wanted.addKnown(node.value);
        const before = this.#firstSentMs.get(node.value);
        if (before === undefined || exchange.startedAtMs < before) this.#firstSentMs.set(node.value, exchange.startedAtMs);
        if (isLeaf(node)) {
          const key = `${node.name} ${node.value}`;
          this.#firstSentAsMs.set(key, Math.min(this.#firstSentAsMs.get(key) ?? Infinity, exchange.startedAtMs));
          for (const word of wordsOf(node.value)) {
            wanted.add(word, node.name);
            // Words that people typed come back in answers; short ones and numbers stand everywhere.
            if (word.length >= 3 && /\p{L}/u.test(word) && !this.#firstSentMs.has(word)) this.#firstSentMs.set(word, exchange.startedAtMs);
          }
          if (isTypedText(node) && !this.#typed.has(node.value)) {
            this.#typed.add(node.value);
            this.#typedInTurn.push({ text: node.value, sentMs: exchange.startedAtMs });
          }
        }
        node.kids.forEach(walk);
      };
      sentNodes(step).forEach(walk);
      this.#sentBy.set(exchange.n, sentValues);
    }
    return wanted;
  }

  view(n: number): AnswerText | undefined {
    return this.#views.of(n);
  }

  /** What an extractor finds in the response of an exchange. */
  matches(n: number, extractor: Extractor): string[] {
    const view = this.view(n);
    return view ? matchesOf(extractor, view) : [];
  }

  /** How many values of the same form an answer holds, of which any could be the wanted one by chance; only short ones are counted. */
  sameForm(n: number, value: string): number {
    if (value.length > longestCounted) return 1;
    const form = /^\d+$/.test(value) ? `\\d{${value.length}}` : `[A-Za-z0-9]{${value.length}}`;
    const key = `${n} ${form}`;
    const known = this.#sameForm.get(key);
    if (known !== undefined) return known;
    const count = this.view(n)?.body.match(new RegExp(`(?<![A-Za-z0-9])${form}(?![A-Za-z0-9])`, 'g'))?.length ?? 0;
    this.#sameForm.set(key, count);
    return count;
  }

  /** When a response had ended, in ms from the start of the take. */
  endedMs(n: number): number {
    return this.#endMs.get(n) ?? Infinity;
  }

  /** True where an exchange sends the value as a whole, somewhere. */
  sends(n: number, value: string): boolean {
    return this.#sentBy.get(n)?.has(value) ?? false;
  }

  /** True where a response could have given the value to the request. */
  wasReceived(value: string, exchange: Exchange): boolean {
    return this.occurrences(value, exchange).length > 0;
  }

  /** True where the client had sent the value before any response held it: what comes back and is sent again is an echo. */
  isEcho(value: string, exchange: Exchange): boolean {
    return (this.#firstSentMs.get(value) ?? Infinity) < exchange.startedAtMs && this.occurrences(value, exchange).length === 0;
  }

  /** True where an exchange, or one before it, sends the value under this name: then its answer did not create it. */
  wasSentAs(name: string, value: string, exchange: Exchange): boolean {
    return (this.#firstSentAsMs.get(`${name} ${value}`) ?? Infinity) <= exchange.startedAtMs;
  }

  /** True where a later response shows the value as a text or a member: what people typed comes back like this. */
  isEchoed(value: string, exchange: Exchange): boolean {
    return (this.#received.get(value) ?? []).some(
      (occurrence) =>
        occurrence.exchange.startedAtMs >= exchange.startedAtMs &&
        (occurrence.received.rank >= 7 || occurrence.received.extractor?.kind === 'jsonpath'),
    );
  }

  /**
   * Responses that could have given the value to the request: they had ended before it started, and the value was not sent
   * before the first of them gave it (what comes back then is an echo).
   */
  occurrences(value: string, exchange: Exchange, from: ReadonlyMap<string, Occurrence[]> = this.#received): Occurrence[] {
    const before = (from.get(value) ?? []).filter(
      (occurrence) => this.endedMs(occurrence.exchange.n) <= exchange.startedAtMs + clockGrainMs,
    );
    if (before.length === 0) return [];
    const first = before.reduce((least, occurrence) => Math.min(least, this.endedMs(occurrence.exchange.n)), Infinity);
    const sentMs = this.#firstSentMs.get(value) ?? Infinity;
    if (sentMs + clockGrainMs < first) return [];
    return before;
  }

  /**
   * Ways to read the value, best first: those that read one thing before those that pick from a list; then the latest response
   * in which it stands under the same name, then the page that the Referer names, then the latest; within a response the place
   * that depends on the least. A short value, which stands in many places by chance, needs the name, unless a second take
   * proves the place (`proven`).
   */
  origins(value: string, name: string, exchange: Exchange, proven = false): Origin[] {
    return this.#ordered(this.occurrences(value, exchange), value, name, exchange, proven);
  }

  /** Ways to read an id that responses write in another case or with other separators, each with what turns it into the sent one. */
  spelledOtherwise(value: string, name: string, exchange: Exchange): { origin: Origin; as: Encoding }[] {
    if (!isSpeltId(value)) return [];
    return this.occurrences(spelling(value), exchange, this.#spelt).flatMap((occurrence) => {
      const as = spellings.find((encoding) => encode(encoding, occurrence.received.value) === value);
      const [origin] =
        as && occurrence.received.value !== value ? this.#ordered([occurrence], occurrence.received.value, name, exchange) : [];
      return origin && as ? [{ origin, as }] : [];
    });
  }

  #ordered(occurrences: readonly Occurrence[], value: string, name: string, exchange: Exchange, proven = false): Origin[] {
    const referer = headerOf(sentHeaders(exchange), 'referer');
    // A short value stands everywhere; what it is called says more than whether it stands in a list.
    const weak = isWeak(value);
    const [alone, byName, byThing] = weak ? [4, 8, 6] : [4, 2, 1.5];
    const scored = occurrences.map((occurrence) => {
      const linked = isLinked(name, occurrence);
      const called = sameName(occurrence.received.name, name);
      return {
        ...occurrence,
        linked,
        score:
          (occurrence.received.listed ? 0 : alone) +
          (called ? byName : linked ? byThing : 0) +
          (referer !== undefined && occurrence.exchange.url === referer ? 1 : 0) -
          // An answer that was asked with the value may only repeat it.
          (this.sends(occurrence.exchange.n, value) ? 3 : 0),
      };
    });
    const strong = weak && !proven ? scored.filter((scoredOrigin) => scoredOrigin.linked) : scored;
    const ordered = strong.sort(
      (left, right) => right.score - left.score || right.exchange.n - left.exchange.n || left.received.rank - right.received.rank,
    );
    const [best] = ordered;
    if (!best) return [];
    // Within the chosen response the more robust place wins, whatever its name.
    const grouped = [
      ...ordered
        .filter((scoredOrigin) => scoredOrigin.exchange.n === best.exchange.n)
        .sort((left, right) => cost(left, weak) - cost(right, weak)),
      ...ordered.filter((scoredOrigin) => scoredOrigin.exchange.n !== best.exchange.n),
    ].slice(0, mostOccurrences);
    return grouped.flatMap((scoredOrigin) =>
      this.#proposals(scoredOrigin, value).map((extractor) => ({
        exchange: scoredOrigin.exchange,
        value,
        extractor,
        listed: scoredOrigin.received.listed,
        choice: scoredOrigin.received.choice,
        linked: scoredOrigin.linked,
        name: scoredOrigin.received.name,
      })),
    );
  }

  /** The extractors that read the value there, the sturdiest first. */
  #proposals({ exchange, received }: Occurrence, value: string): Extractor[] {
    const { extractor } = received;
    // These read one thing by its name, which is just where the value was found; a page need not be parsed again to see it.
    if (extractor && !extractor.within && /^(header|cookie|field|xml)$/.test(extractor.kind)) return [extractor];
    const view = this.view(exchange.n);
    if (!view) return [];
    return extractorsFor(received, value, view, () => this.typedBefore(this.endedMs(exchange.n)));
  }

  /** True where a part of a value lies within a text that the client had typed before: “lot 3” in “Cod lot 3, changed”. */
  isTypedPart(value: string, part: { start: number; end: number }, exchange: Exchange): boolean {
    return this.typedBefore(exchange.startedAtMs).some((text) => {
      const at = value.indexOf(text);
      return at >= 0 && at <= part.start && part.end <= at + text.length;
    });
  }

  /** What the client had typed before a moment, the last of it. */
  typedBefore(endMs: number): string[] {
    // Typed texts stand in the order of their times; the last ones before the moment are wanted.
    let [low, high] = [0, this.#typedInTurn.length];
    while (low < high) {
      const at = (low + high) >> 1;
      if ((this.#typedInTurn[at]?.sentMs ?? 0) < endMs) low = at + 1;
      else high = at;
    }
    const texts = this.#typedInTurn.slice(Math.max(0, low - mostTyped), low).map((typed) => typed.text);
    // Where a second take tells, what both sent alike names no row of this visit.
    return this.moving.size === 0
      ? texts
      : [...texts.filter((text) => this.moving.has(text)), ...texts.filter((text) => !this.moving.has(text))];
  }
}

function add<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}

/** Places cost more the more they depend on; a place in a list costs more than any other, and for a short value one of another name most. */
const cost = ({ received, linked }: Occurrence & { linked: boolean }, weak: boolean): number =>
  received.rank + (received.listed ? 20 : 0) + (weak && !linked ? 40 : 0);

/** Called alike there and here, or an id in the answer to a request whose address names the thing. */
function isLinked(name: string, { exchange, received }: Occurrence): boolean {
  if (sameName(received.name, name) || sameThing(received.name, name)) return true;
  if (!isBareId(received.name) && !isBareId(name)) return false;
  const segments = (pathAndQuery(exchange.url).split('?')[0] ?? '')
    .split('/')
    .map((part) => part.replace(/\.[a-z]{2,5}$/i, ''))
    .filter((part) => /^[a-z][\w-]*$/i.test(part));
  const what = isBareId(received.name) ? name : received.name;
  return segments.some((segment) => sameThing(segment, what));
}

/** Only what was typed lately is looked for in rows. */
const mostTyped = 20;

/** More places than this are not looked at for one value. */
const mostOccurrences = 40;

/** Longer values do not stand in an answer by chance. */
const longestCounted = 6;

/** What people type: words or a number that is long enough to be looked for in a row, in a field and not in an address. */
const isTypedText = ({ value, place }: SentNode): boolean =>
  /^(form|part|json|query|xml):/.test(place) &&
  value.length >= 5 &&
  value.length <= 200 &&
  !/\d{10}/.test(value) &&
  readsAsTyped(value) &&
  /^[\p{L}\d][\p{L}\d .,:_'&/()-]*$/u.test(value);
