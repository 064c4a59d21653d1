import type { RE2JS } from 're2js';
import { readyPattern, type ReadyPattern } from '../../patterns/ready-pattern.js';
import type { Origin } from '../find/value-index.js';
import { extractorKinds } from '../../extractors/extractor.schema.js';
import type { HandoffPattern } from '../../patterns/pattern.schema.js';
import { verbOf } from '../../take/exchanges.js';

/** The spellings of a name that an expression may mean: `rowVersion` is `row_Version` too. */
const spellings = (name: string): string[] => [...new Set([name, name.replace(/([a-z])([A-Z])/g, '$1_$2')])];

/** More names than these are not remembered. */
const mostNames = 10_000;

/** Patterns made ready to be asked for every value. Throws a sentence where an expression is not valid. */
export class PatternBook {
  readonly #ready: ReadyPattern[];
  readonly #byName = new Map<string, ReadyPattern[]>();

  constructor(patterns: readonly HandoffPattern[]) {
    this.#ready = patterns.filter((pattern) => pattern.enabled).map(readyPattern);
  }

  /** The patterns that know a value by where it is sent, how it is called and how it looks. */
  sentAs(value: string, name: string, place: string): HandoffPattern[] {
    return this.#sent(value, name, place).map((pattern) => pattern.pattern);
  }

  /** True where some pattern knows a value by where it is sent, how it is called and how it looks. */
  readonly knows = (value: string, name: string, place: string): boolean => this.#sent(value, name, place).length > 0;

  /** The first pattern that knows a value and an origin of it, the best origin first; undefined where none does. */
  find(value: string, name: string, place: string, origins: readonly Origin[]): { pattern: HandoffPattern; origin: Origin } | undefined {
    for (const { pattern, received } of this.#sent(value, name, place)) {
      const origin = origins.find((candidate) => isReceivedAs(pattern, received, candidate));
      if (origin) return { pattern, origin };
    }
    return undefined;
  }

  #sent(value: string, name: string, place: string): ReadyPattern[] {
    const called = this.#called(name);
    if (called.length === 0) return called;
    const kinds = new Set(place.split('/').map((part) => part.split(':')[0] ?? ''));
    return called.filter(
      (pattern) =>
        (pattern.pattern.sent.in.length === 0 || pattern.pattern.sent.in.some((kind) => kinds.has(kind))) &&
        (pattern.value === null || pattern.value.matcher(value).find()),
    );
  }

  /** The patterns that a name fits; a take sends the same names again and again. */
  #called(name: string): ReadyPattern[] {
    const known = this.#byName.get(name);
    if (known) return known;
    const called = this.#ready.filter(
      (pattern) => pattern.name === null || spellings(name).some((spelling) => pattern.name?.matcher(spelling).find() === true),
    );
    if (this.#byName.size >= mostNames) this.#byName.clear();
    this.#byName.set(name, called);
    return called;
  }
}

function isReceivedAs(pattern: HandoffPattern, name: RE2JS | null, origin: Origin): boolean {
  if (origin.listed || origin.choice) return false;
  if (pattern.received.in.length > 0 && !pattern.received.in.includes(extractorKinds[origin.extractor.kind].receivedIn)) return false;
  if (pattern.received.afterChange && verbOf(origin.exchange) === 'GET') return false;
  // A header of an answer is called by the header, whatever part of it is read.
  const called = 'name' in origin.extractor ? [origin.name, origin.extractor.name] : [origin.name];
  return name === null ? origin.linked : called.some((calledName) => name.matcher(calledName).find());
}
