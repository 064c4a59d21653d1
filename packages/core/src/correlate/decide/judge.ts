import type { LoadedTake } from '../../take/take.schema.js';
import type { Evidence } from '../../script/script.schema.js';
import type { Extractor } from '../../extractors/extractor.schema.js';
import { describeExtractor } from '../../extractors/describe-extractor.js';
import { isPlainWord, pathAndQuery } from '../../take/messages.js';
import type { PatternBook } from '../weigh/pattern-match.js';
import type { SentNode } from '../../actions/sent-values.js';
import type { StepOfTake } from '../find/candidates.js';
import { clockKind } from './made-values.js';
import { isBareId } from '../find/naming.js';
import { formInput, readsAsTyped, TakeForms, type FormInput } from '../find/person-inputs.js';
import type { SecondTake } from '../pair/second-take.js';
import { dynamicShape, namesThing } from '../find/shapes.js';
import type { Origin, ValueIndex } from '../find/value-index.js';
import { isWeak } from '../find/wanted.js';
import { bitsOfLikelihood, bitsOfProof, chanceOf, evidenceOf, weigh, type Weight } from '../weigh/weigh.js';
import { answerBody, verbOf } from '../../take/exchanges.js';

/** What is decided about a value that was sent. */
export type Judged =
  | { kind: 'handoff'; origin: Origin; evidence: Evidence; reason: string; bits: number }
  | { kind: 'unsure'; reason: string }
  | { kind: 'fixed' }
  /** A person typed it, or chose it from what was offered: it is for a data table, if for anything. */
  | { kind: 'typed' }
  | { kind: 'chosen' };

/** A value, what it is called and where it is sent. */
export interface SentAs {
  value: string;
  name: string;
  place: string;
}

const fixed: Judged = { kind: 'fixed' };
const typed: Judged = { kind: 'typed' };
const chosen: Judged = { kind: 'chosen' };

interface Weighed {
  origin: Origin;
  weight: Weight;
}

/** Decides what becomes of a value, from everything that two takes, forms, names and patterns say of it. */
export class Judge {
  readonly #forms: TakeForms;
  readonly #pathWords = new Map<string, number>();

  constructor(
    readonly loaded: LoadedTake,
    readonly index: ValueIndex,
    readonly twin: SecondTake | null,
    readonly patterns: PatternBook,
  ) {
    this.#forms = new TakeForms({
      exchanges: loaded.exchanges,
      readBody: loaded.readBody,
      view: (n) => index.view(n),
      endedMs: (n) => index.endedMs(n),
    });
    for (const { url } of loaded.exchanges)
      for (const word of wordsOfPath(url)) this.#pathWords.set(word, (this.#pathWords.get(word) ?? 0) + 1);
  }

  /** What the page says that showed the form of a value; null where no page did. */
  inputOf(node: Pick<SentNode, 'place' | 'name' | 'value'>, stepOfTake: StepOfTake, otherValue: string | undefined): FormInput | null {
    const form = this.#forms.of(stepOfTake.exchange);
    if (!form) return null;
    return formInput(
      node,
      form,
      otherValue === undefined ? null : { value: otherValue, form: this.twin?.formOf(stepOfTake.exchange.n) ?? null },
    );
  }

  /** Decides by the form that the page showed; undefined where that says nothing. */
  byForm(node: SentNode, stepOfTake: StepOfTake, otherValue: string | undefined, origins: readonly Origin[]): Judged | undefined {
    if (node.isName) return undefined;
    const input = this.inputOf(node, stepOfTake, otherValue);
    const differs = otherValue !== undefined && otherValue !== node.value;
    switch (input?.kind) {
      case 'typed':
        return this.#isFilledByScript(node, stepOfTake, otherValue, origins) ? undefined : typed;
      case 'chosen':
        return chosen;
      case 'given':
        return differs
          ? this.#byPage(
              node,
              stepOfTake,
              input.page,
              [input.extractor],
              'It differs between the two takes, and the form of the page gave it',
            )
          : undefined;
      case 'moved-choice':
        return (
          this.#byPage(
            node,
            stepOfTake,
            input.page,
            input.extractors,
            'It differs between the two takes because what the form offers for choosing moved',
            otherValue,
          ) ?? {
            kind: 'unsure',
            reason: 'It was chosen from what the form offers, and both takes chose differently from different offers.',
          }
        );
      default:
        return undefined;
    }
  }

  /** True where a script of the page filled a text field: with a value that nobody types and that an answer gave. */
  #isFilledByScript(node: SentNode, stepOfTake: StepOfTake, otherValue: string | undefined, origins: readonly Origin[]): boolean {
    if (readsAsTyped(node.value)) return false;
    if (otherValue === undefined || otherValue === node.value) return origins.length > 0 && dynamicShape(node.name, node.value) !== null;
    const [best] = this.weighed(node, origins, otherValue, stepOfTake);
    return best !== undefined && best.weight.bits >= 2 * bitsOfProof;
  }

  #byPage(
    node: SentNode,
    stepOfTake: StepOfTake,
    page: number,
    extractors: readonly Extractor[],
    why: string,
    otherValue?: string,
  ): Judged | undefined {
    const exchange = this.loaded.exchanges.find((candidate) => candidate.n === page);
    for (const extractor of exchange ? extractors : []) {
      const origin: Origin | undefined = exchange && {
        exchange,
        value: node.value,
        extractor,
        listed: false,
        choice: false,
        linked: true,
        name: node.name,
      };
      const there = otherValue ?? this.twin?.valueAt(stepOfTake.exchange.n, node.place);
      if (!origin || !this.index.matches(page, extractor).includes(node.value)) continue;
      if (there !== undefined && !this.twin?.gives(origin, there)) continue;
      return {
        kind: 'handoff',
        origin,
        evidence: 'proven',
        bits: 2 * bitsOfProof,
        reason: `${why}: ${describeExtractor(extractor)} gives the right value in both.`,
      };
    }
    return undefined;
  }

  /** Decides about a value that answers gave, from its candidates; `other` is what the second take sent there. */
  judge(sent: SentAs, origins: readonly Origin[], otherValue: string | undefined, stepOfTake: StepOfTake): Judged {
    const { value, name } = sent;
    const [best] = origins;
    if (!best) return fixed;
    const shape = dynamicShape(name, value);
    if (this.twin && otherValue !== undefined) {
      if (otherValue === value) return this.#sameInBoth(sent, origins, shape, stepOfTake);
      return this.#moved(sent, origins, otherValue, shape, stepOfTake);
    }
    return this.#alone(sent, origins, best, shape);
  }

  /** A value that differs between the takes. */
  #moved(sent: SentAs, origins: readonly Origin[], otherValue: string, shape: string | null, stepOfTake: StepOfTake): Judged {
    const { value } = sent;
    const giving = this.weighed(sent, origins, otherValue, stepOfTake);
    const free = giving.find(({ origin }) => !this.#isChoice(origin, value, otherValue));
    const evidence = free && evidenceOf(free.weight, value);
    if (free && evidence)
      return {
        kind: 'handoff',
        origin: free.origin,
        evidence,
        bits: free.weight.bits,
        reason: `It differs between the two takes, and ${describeExtractor(free.origin.extractor)} gives the right value in both; ${chanceOf(free.weight)}.`,
      };
    const unseen = free ? undefined : this.#unseen(sent, origins, stepOfTake);
    if (unseen) return unseen;
    if (origins.some((origin) => this.#isChoice(origin, value, otherValue))) return chosen;
    if (readsAsTyped(value) && readsAsTyped(otherValue) && !isPlainPath(sent.place)) return typed;
    if (free)
      return {
        kind: 'unsure',
        reason: `It differs between the two takes, and ${describeExtractor(free.origin.extractor)} gives it in both, but ${chanceOf(free.weight)}.`,
      };
    return shape || verbOf(stepOfTake.exchange) !== 'GET'
      ? { kind: 'unsure', reason: 'It differs between the two takes, but no place in the responses gives it in both.' }
      : fixed;
  }

  /** A value that differs between the takes, where the second one lacks the answer that would have given it: the first one has to do. */
  #unseen(sent: SentAs, origins: readonly Origin[], stepOfTake: StepOfTake): Judged | undefined {
    const [best] = origins
      .filter(({ exchange, listed }) => !listed && answerBody(exchange) && this.twin?.lacksAnswer(exchange.n))
      .map((origin) => ({ origin, weight: this.#weightOf(sent, origin, undefined, stepOfTake) }))
      .sort((left, right) => right.weight.bits - left.weight.bits);
    if (!best || best.weight.bits < bitsOfLikelihood) return undefined;
    return {
      kind: 'handoff',
      origin: best.origin,
      evidence: 'likely',
      bits: best.weight.bits,
      reason: `It differs between the two takes, and ${describeExtractor(best.origin.extractor)} gave it in the first; the second take does not hold that answer. A rehearsal will tell.`,
    };
  }

  /** The origins that give the right value in the second take too, those with the greatest weight first. */
  weighed(sent: SentAs, origins: readonly Origin[], otherValue: string, stepOfTake: StepOfTake): Weighed[] {
    return origins
      .filter((origin) => this.twin?.gives(origin, otherValue))
      .map((origin) => ({ origin, weight: this.#weightOf(sent, origin, otherValue, stepOfTake) }))
      .sort((left, right) => right.weight.bits - left.weight.bits);
  }

  /**
   * The origins from which a value that was sent as recorded could come, those with the greatest weight first. With a second take only
   * those that give there what it sent.
   */
  plausible(sent: SentAs, origins: readonly Origin[], otherValue: string | undefined, stepOfTake: StepOfTake): Weighed[] {
    return origins
      .filter((origin) => otherValue === undefined || this.twin === null || this.twin.gives(origin, otherValue))
      .map((origin) => ({ origin, weight: this.#weightOf(sent, origin, otherValue, stepOfTake) }))
      .sort((left, right) => right.weight.bits - left.weight.bits);
  }

  /** True for an id in the answer to a change, which nobody had sent before under this name. */
  #isCreated(value: string, name: string, origin: Origin): boolean {
    return isCreatedId(value, name, origin) && !this.index.wasSentAs(name, value, origin.exchange);
  }

  #weightOf({ value, name }: SentAs, origin: Origin, otherValue: string | undefined, stepOfTake: StepOfTake): Weight {
    const { extractor, exchange } = origin;
    const anyOf = 'pick' in extractor && extractor.pick === 'any';
    const distinct = (texts: readonly string[]): number => new Set(texts).size;
    const repeats =
      this.index.sends(exchange.n, value) && (otherValue === undefined || this.twin === null || this.twin.sends(exchange.n, otherValue));
    return weigh(origin, value, otherValue === value ? undefined : otherValue, {
      name,
      sameForm: this.index.sameForm(exchange.n, value),
      offered: anyOf
        ? [distinct(this.index.matches(exchange.n, extractor)), ...(this.twin ? [distinct(this.twin.matches(exchange.n, extractor))] : [])]
        : [],
      created: this.#isCreated(value, name, origin),
      narrowed: extractor.beside !== undefined && this.#isNarrowed(exchange.n, extractor),
      repeats,
      sharedPath: this.#sharesPath(stepOfTake.exchange.url, exchange.url),
    });
  }

  /** True where the text of a row picks one of several rows, in one of the takes. */
  #isNarrowed(n: number, extractor: Extractor): boolean {
    const all: Extractor = {
      ...extractor,
      ...('pick' in extractor || extractor.kind === 'between' ? { pick: 'any' as const } : {}),
    };
    delete all.beside;
    return this.index.matches(n, all).length > 1 || (this.twin !== null && this.twin.matches(n, all).length > 1);
  }

  /** True where two addresses have a word in common that fewer than half of all addresses have. */
  #sharesPath(left: string, right: string): boolean {
    const most = this.loaded.exchanges.length / 2;
    const there = new Set(wordsOfPath(right));
    return wordsOfPath(left).some((word) => there.has(word) && (this.#pathWords.get(word) ?? 0) < most);
  }

  /** A value that both takes sent alike. */
  #sameInBoth(sent: SentAs, all: readonly Origin[], shape: string | null, stepOfTake: StepOfTake): Judged {
    const { value, name, place } = sent;
    // Where an answer gave another value in the second take, the value sent did not come from there.
    const origins = all.filter((origin) => this.twin?.gives(origin, value) !== false);
    const [best] = origins;
    const known = this.patterns.find(value, name, place, origins);
    if (!best || best.listed || best.choice || known?.pattern.decision === 'leave') return fixed;
    if (known)
      return {
        kind: 'handoff',
        origin: known.origin,
        evidence: 'likely',
        bits: bitsOfProof,
        reason: `It is the same in both takes, but the pattern “${known.pattern.name}” knows it as “${name}”, and ${describeExtractor(known.origin.extractor)} gives it.`,
      };
    const created = origins
      .filter((origin) => this.#isCreated(value, name, origin))
      .map((origin) => ({ origin, weight: this.#weightOf(sent, origin, undefined, stepOfTake) }))
      .sort((left, right) => right.weight.bits - left.weight.bits)[0];
    if (created && created.weight.tie > 0 && created.weight.bits >= bitsOfLikelihood)
      return {
        kind: 'handoff',
        origin: created.origin,
        evidence: 'likely',
        bits: created.weight.bits,
        reason: 'It is the same in both takes, but it is the id in the answer to a change: each replay creates a thing of its own.',
      };
    return shape ? { kind: 'unsure', reason: `It is the same in both takes, yet ${shape}. A rehearsal will tell.` } : fixed;
  }

  /** A value about which the second take says nothing, or there is none. */
  #alone(sent: SentAs, origins: readonly Origin[], best: Origin, shape: string | null): Judged {
    const { value, name, place } = sent;
    const known = this.patterns.find(value, name, place, origins);
    if (known?.pattern.decision === 'leave') return fixed;
    if (best.choice && !shape) return chosen;
    const created = origins.find((origin) => this.#isCreated(value, name, origin));
    if (created)
      return {
        kind: 'handoff',
        origin: created,
        evidence: 'likely',
        bits: bitsOfProof,
        reason: 'It is the id in the answer to a change, so this take created the thing it names.',
      };
    const row = origins.find((origin) => origin.extractor.beside && origin.linked);
    if (row && /\d/.test(value))
      return {
        kind: 'handoff',
        origin: row,
        evidence: 'likely',
        bits: bitsOfLikelihood,
        reason: `It stands in the row of what this take had typed before (${describeExtractor(row.extractor)}).`,
      };
    if (known)
      return {
        kind: 'handoff',
        origin: known.origin,
        evidence: 'likely',
        bits: bitsOfProof,
        reason: `The pattern “${known.pattern.name}” knows it as “${name}”, and ${describeExtractor(known.origin.extractor)} gives it.`,
      };
    if (best.listed && best.extractor.kind === 'jsonpath' && !best.extractor.beside && !isPlainWord(value))
      return {
        kind: 'unsure',
        reason: `It was chosen from a list (${describeExtractor(best.extractor)}). A rehearsal or a second take will tell whether the list changes.`,
      };
    if (shape)
      return {
        kind: 'handoff',
        origin: best,
        evidence: 'likely',
        bits: bitsOfLikelihood,
        reason: `A response gave it first, and ${shape}.`,
      };
    const prefilled = origins.find(
      (origin) => origin.linked && origin.extractor.kind === 'field' && !origin.choice && (namesThing(name) || namesThing(origin.name)),
    );
    if (prefilled && /^[\w-]*\d[\w-]*$/.test(value))
      return {
        kind: 'handoff',
        origin: prefilled,
        evidence: 'likely',
        bits: bitsOfLikelihood,
        reason: `The form gave it, and its name “${name}” says that it names a thing.`,
      };
    if (isPlainWord(value) || isWeak(value)) return fixed;
    return {
      kind: 'unsure',
      reason: `A response gave it first (${describeExtractor(best.extractor)}), but nothing says yet that it changes.`,
    };
  }

  /** True where both takes chose from a list that offered both: then the tester chose, and nothing moved. */
  #isChoice(origin: Origin, value: string, otherValue: string): boolean {
    if (!origin.listed || !this.twin || origin.extractor.beside) return false;
    const any = anyOfItsList(origin.extractor);
    const [here, there] = [this.index.matches(origin.exchange.n, any), this.twin.matches(origin.exchange.n, any)];
    return [here, there].every((offered) => offered.includes(value) && offered.includes(otherValue));
  }

  /** True for what people type: a text that reads so, or one that comes back in pages. */
  isTyped(value: string, stepOfTake: StepOfTake): boolean {
    return /\s/.test(value) || isPlainWord(value) || this.index.isEchoed(value, stepOfTake.exchange);
  }

  isClock(value: string, stepOfTake: StepOfTake): boolean {
    return clockKind(value, this.loaded.take, stepOfTake.exchange) !== null;
  }
}

/** An extractor that reads one item of a list, as one that reads all of them. */
function anyOfItsList(extractor: Extractor): Extractor {
  if (extractor.kind === 'jsonpath') return { ...extractor, path: extractor.path.replace(/\[-?\d+\]/g, '[*]'), pick: 'any' };
  return { ...extractor, ...('pick' in extractor || extractor.kind === 'attribute' ? { pick: 'any' as const } : {}) };
}

const isPlainPath = (place: string): boolean => /^(path|header|cookie|parameter):/.test(place);

const wordsOfPath = (url: string): string[] =>
  (pathAndQuery(url).split('?')[0] ?? '').split('/').filter((part) => /^[A-Za-z][\w-]{2,}$/.test(part) && isPlainWord(part.toLowerCase()));

/** The id of a thing that the request of the origin created: in its redirect, or called the same in its answer. */
export function isCreatedId(value: string, name: string, origin: Origin): boolean {
  const { exchange, extractor } = origin;
  if (verbOf(exchange) === 'GET' || origin.listed || !/^[\w.~-]*\d[\w.~-]*$|^[\w-]{10,}$/.test(value) || isPlainWord(value)) return false;
  // A short number in a redirect is an id where it stands as a segment, or under a name that says so.
  if (extractor.kind === 'header' && extractor.name === 'location')
    return !isWeak(value) || extractor.within?.left.startsWith('/') === true || /(^|[_-])id$|Id$|ID$|^(no|number|key)$/.test(name);
  return origin.linked && extractor.kind === 'jsonpath' && (isBareId(origin.name) || namesThing(origin.name) || /^\d+$/.test(value));
}
