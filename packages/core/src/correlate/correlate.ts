import type { LoadedTake } from '../take/take.schema.js';
import {
  answerOf,
  changeRequests,
  placeOfResponse,
  type Evidence,
  type RequestStep,
  type Script,
  type UnsureValue,
} from '../script/script.schema.js';
import { describeExtractor } from '../script/describe-extractor.js';
import { isCounted } from '../script/coverage.js';
import { isLeaf, type SentNode } from '../script/sent-values.js';
import { commonShape, commonTitle, fitsTitle, isPlainWord } from '../take/messages.js';
import { nameBefore, stepsOfTake, visitParts, visitStill, type StepOfTake } from './candidates.js';
import { HandoffMaker, type Correlated, type Target } from './handoff-maker.js';
import { PatternBook } from '../patterns/match.js';
import type { HandoffPattern } from '../patterns/pattern.schema.js';
import { publishedPatterns } from '../patterns/published.js';
import { clockKind, findMade } from './made-values.js';
import { isBareId } from './naming.js';
import { differingParts, SecondTake } from './second-take.js';
import { dynamicShape, namesThing } from './shapes.js';
import { ValueIndex, type Origin, type Progress } from './value-index.js';
import { isWeak } from './wanted.js';

type Judged =
  | { kind: 'handoff'; origin: Origin; evidence: Evidence; reason: string }
  | { kind: 'unsure'; reason: string }
  | { kind: 'fixed' }
  | { kind: 'chosen' };

/** A value, what it is called and where it is sent. */
interface SentAs {
  value: string;
  name: string;
  place: string;
}

const fixed: Judged = { kind: 'fixed' };
/** The tester chose it from a list that did not change: it is for a data table, if for anything. */
const chosen: Judged = { kind: 'chosen' };

/**
 * Correlates a script with its take: makes handoffs of the values that a second take proves or that shape and name make
 * likely, client-made values of what no response gave, and lists the values it is not sure about. `patterns` say what is known of
 * values by their names; `told` hears of the progress. Throws a sentence where an expression of a pattern is not valid.
 */
export function correlate(
  script: Script,
  loaded: LoadedTake,
  second: LoadedTake | null,
  patterns: readonly HandoffPattern[] = publishedPatterns,
  told: Progress = () => undefined,
): Correlated {
  const steps = stepsOfTake(script, loaded);
  // Reading the answers and judging what is sent are counted alike.
  const run = new Correlation(script, loaded, second, new PatternBook(patterns), (done, total) => {
    told(done, 2 * total);
  });
  for (const [at, own] of steps.entries()) {
    run.step(own);
    told(steps.length + at + 1, 2 * steps.length);
  }
  return run.result();
}

/** One pass over a script. */
class Correlation {
  readonly #index: ValueIndex;
  readonly #maker: HandoffMaker;
  readonly #twin: SecondTake | null;
  readonly #unsure: UnsureValue[] = [];

  constructor(
    readonly script: Script,
    readonly loaded: LoadedTake,
    readonly second: LoadedTake | null,
    readonly patterns: PatternBook,
    told: Progress,
  ) {
    this.#twin = second && new SecondTake(loaded, second);
    this.#index = new ValueIndex(loaded, script, this.#twin?.moving, patterns.knows, told);
    this.#maker = new HandoffMaker(script);
  }

  step(own: StepOfTake): void {
    visitStill(own.step, (node) => {
      const other = this.#twin?.valueAt(own.exchange.n, node.place);
      // What is alike in both takes as a whole may still hold a part that is known to move.
      if (!isLeaf(node)) return other !== node.value && this.#whole(own, node, other, false);
      if (this.#whole(own, node, other, true)) return true;
      if (node.peeled && node.kids.length > 0 && this.#index.origins(node.value, node.name, own.exchange).length === 0) return false;
      this.#parts(own, node, other);
      return true;
    });
  }

  /** Judges a value as a whole; true where it is dealt with. */
  #whole(own: StepOfTake, node: SentNode, other: string | undefined, leaf: boolean): boolean {
    const target: Target = { step: own.step, node, value: node.value, start: 0, end: node.value.length };
    const differs = other !== undefined && other !== node.value;
    const origins = this.#index.origins(node.value, node.name, own.exchange, differs);
    if (node.isName && !differs) return false;
    if (!leaf && !differs && !origins.some((one) => one.linked && !one.listed)) return false;
    if (origins.length > 0) {
      const judged = this.#judge({ value: node.value, name: node.name, place: node.place }, origins, other, own);
      if (judged.kind === 'handoff') return this.#maker.handOff(target, judged.origin, judged.evidence, judged.reason);
      if (!leaf) return false;
      if (judged.kind === 'unsure') this.#doubt(own, node, judged.reason, origins[0]);
      return judged.kind === 'chosen' || !differs;
    }
    for (const { origin, as } of this.#index.spelledOtherwise(node.value, node.name, own.exchange)) {
      if (differs && !this.#twin?.gives(origin, other, as)) continue;
      const told = `${describeExtractor(origin.extractor)} gives it in another spelling (${as})`;
      return this.#maker.handOff(
        target,
        origin,
        differs ? 'proven' : 'likely',
        differs ? `It differs between the two takes, and ${told}, right in both.` : `A response gave it first: ${told}.`,
        as,
      );
    }
    return false;
  }

  /** Looks for what is server-made inside a value that no response gave as a whole. */
  #parts(own: StepOfTake, node: SentNode, other: string | undefined): void {
    if (clockKind(node.value, this.loaded.take, own.exchange) || this.#index.isEcho(node.value, own.exchange)) return;
    if (other !== undefined && other !== node.value) {
      for (const parts of differingParts(node.value, other)) {
        const found = parts.flatMap((part) => {
          const value = node.value.slice(part.start, part.end);
          if (this.#index.isTypedPart(node.value, part, own.exchange)) return [];
          const origins = this.#index.origins(value, nameBefore(node, part.start), own.exchange, true);
          const origin = origins.find((one) => this.#twin?.gives(one, part.other));
          return origin ? [{ target: { step: own.step, node, value, start: part.start, end: part.end }, origin }] : [];
        });
        for (const { target, origin } of found)
          this.#maker.handOff(
            target,
            origin,
            'proven',
            `A part of what is sent differs between the two takes, and ${describeExtractor(origin.extractor)} gives the right one in both.`,
          );
        if (found.length > 0) return;
      }
      const shape = dynamicShape(node.name, node.value);
      if (shape && !this.#isTyped(node.value, own))
        this.#doubt(
          own,
          node,
          `It differs between the two takes and ${shape}, but no place in the responses gives it. A page script may compute it.`,
        );
      return;
    }
    visitParts(node, this.#index, own.exchange, (part) => {
      const name = nameBefore(node, part.start);
      const judged = this.#judge(
        { value: part.value, name, place: node.place },
        part.origins,
        other === undefined ? undefined : part.value,
        own,
      );
      // A part of a readable text is there by chance, unless a token or a made thing's id says otherwise.
      if (judged.kind !== 'handoff') return false;
      return this.#maker.handOff({ step: own.step, node, ...part }, judged.origin, judged.evidence, judged.reason);
    });
  }

  #judge(sent: SentAs, origins: readonly Origin[], other: string | undefined, own: StepOfTake): Judged {
    const { value, name } = sent;
    const [best] = origins;
    if (!best) return fixed;
    const shape = dynamicShape(name, value);
    if (this.#twin && other !== undefined) {
      if (other === value) return this.#sameInBoth(sent, origins, best, shape);
      const proven = origins.find((origin) => this.#twin?.gives(origin, other) && !this.#isChoice(origin, value, other));
      if (proven)
        return {
          kind: 'handoff',
          origin: proven,
          evidence: 'proven',
          reason: `It differs between the two takes, and ${describeExtractor(proven.extractor)} gives the right value in both.`,
        };
      if (origins.some((origin) => this.#isChoice(origin, value, other))) return chosen;
      return shape || own.exchange.method !== 'GET'
        ? { kind: 'unsure', reason: 'It differs between the two takes, but no place in the responses gives it in both.' }
        : fixed;
    }
    const known = this.patterns.find(value, name, sent.place, origins);
    if (known?.pattern.decision === 'leave') return fixed;
    if (best.choice && !shape) return chosen;
    const created = origins.find((one) => isCreatedId(value, name, one));
    if (created)
      return {
        kind: 'handoff',
        origin: created,
        evidence: 'likely',
        reason: 'It is the id in the answer to a change, so this take created the thing it names.',
      };
    const row = origins.find((one) => one.extractor.beside && one.linked);
    if (row && /\d/.test(value))
      return {
        kind: 'handoff',
        origin: row,
        evidence: 'likely',
        reason: `It stands in the row of what this take had typed before (${describeExtractor(row.extractor)}).`,
      };
    if (known)
      return {
        kind: 'handoff',
        origin: known.origin,
        evidence: 'likely',
        reason: `The pattern “${known.pattern.name}” knows it as “${name}”, and ${describeExtractor(known.origin.extractor)} gives it.`,
      };
    if (best.listed && best.extractor.kind === 'jsonpath' && !best.extractor.beside && !isPlainWord(value))
      return {
        kind: 'unsure',
        reason: `It was chosen from a list (${describeExtractor(best.extractor)}). A rehearsal or a second take will tell whether the list changes.`,
      };
    if (shape) return { kind: 'handoff', origin: best, evidence: 'likely', reason: `A response gave it first, and ${shape}.` };
    const prefilled = origins.find(
      (one) => one.linked && one.extractor.kind === 'field' && !one.choice && (namesThing(name) || namesThing(one.name)),
    );
    if (prefilled && /^[\w-]*\d[\w-]*$/.test(value))
      return {
        kind: 'handoff',
        origin: prefilled,
        evidence: 'likely',
        reason: `The form gave it, and its name “${name}” says that it names a thing.`,
      };
    if (isPlainWord(value) || isWeak(value)) return fixed;
    return {
      kind: 'unsure',
      reason: `A response gave it first (${describeExtractor(best.extractor)}), but nothing says yet that it changes.`,
    };
  }

  /** A value that both takes sent alike. */
  #sameInBoth({ value, name, place }: SentAs, origins: readonly Origin[], best: Origin, shape: string | null): Judged {
    const known = this.patterns.find(value, name, place, origins);
    if (best.listed || best.choice || known?.pattern.decision === 'leave') return fixed;
    if (known)
      return {
        kind: 'handoff',
        origin: known.origin,
        evidence: 'likely',
        reason: `It is the same in both takes, but the pattern “${known.pattern.name}” knows it as “${name}”, and ${describeExtractor(known.origin.extractor)} gives it.`,
      };
    if (isCreatedId(value, name, best))
      return {
        kind: 'handoff',
        origin: best,
        evidence: 'likely',
        reason: 'It is the same in both takes, but it is the id in the answer to a change: each replay creates a thing of its own.',
      };
    return shape ? { kind: 'unsure', reason: `It is the same in both takes, yet ${shape}. A rehearsal will tell.` } : fixed;
  }

  /** True where both takes chose from a list that offered both: then the tester chose, and nothing moved. */
  #isChoice(origin: Origin, value: string, other: string): boolean {
    if (!origin.listed || !this.#twin) return false;
    const any = { ...origin.extractor, ...('pick' in origin.extractor ? { pick: 'any' as const } : {}) };
    const [here, there] = [this.#index.matches(origin.exchange.n, any), this.#twin.matches(origin.exchange.n, any)];
    return [here, there].every((offered) => offered.includes(value) && offered.includes(other));
  }

  /** A redirect may lead to any place in the segments that differ between the takes. */
  #easeRedirect(step: RequestStep): RequestStep {
    const { redirect } = step.expect;
    const answer = answerOf(step);
    if (redirect === null || answer === null) return step;
    const target = this.#twin?.redirectTo(step.followRedirects ? answer : (step.exchange ?? answer), step.followRedirects);
    const wider = target === undefined ? null : commonShape(redirect, target);
    return wider === null || wider === redirect ? step : { ...step, expect: { ...step.expect, redirect: wider } };
  }

  /** A title may be another in the words that differ between the takes: the name of the thing that each of them made. */
  #easeTitle(step: RequestStep): RequestStep {
    const { title } = step.expect;
    const answer = answerOf(step);
    const other = title === null || answer === null ? undefined : this.#twin?.titleOf(answer);
    if (title === null || other === undefined || fitsTitle(title, other)) return step;
    return { ...step, expect: { ...step.expect, title: commonTitle(title, other) } };
  }

  #isTyped(value: string, { exchange }: StepOfTake): boolean {
    return /\s/.test(value) || isPlainWord(value) || this.#index.isEchoed(value, exchange);
  }

  #doubt(own: StepOfTake, node: SentNode, reason: string, origin?: Origin): void {
    if (!isCounted(node) || node.isName) return;
    this.#unsure.push({
      step: own.step.id,
      place: node.place,
      value: node.value,
      origin: origin ? (placeOfResponse(this.script, origin.exchange.n)?.step ?? null) : null,
      extractor: origin?.extractor ?? null,
      reason,
    });
  }

  result(): Correlated {
    findMade(this.script, this.loaded, this.#index, this.#maker, this.#twin);
    const unsure = this.#unsure.filter((one) => !this.#maker.has(one.step, one.place));
    const result = this.#maker.result();
    const script = this.#twin ? changeRequests(result.script, (step) => this.#easeTitle(this.#easeRedirect(step))) : result.script;
    return {
      script: { ...script, unsure, secondTakeId: this.second?.take.id ?? this.script.secondTakeId },
      report: { ...result.report, unsure: unsure.length },
    };
  }
}

/** The id of a thing that the request of the origin created: in its redirect, or called the same in its answer. */
function isCreatedId(value: string, name: string, origin: Origin): boolean {
  const { exchange, extractor } = origin;
  if (exchange.method === 'GET' || origin.listed || !/^[\w.~-]*\d[\w.~-]*$|^[\w-]{10,}$/.test(value) || isPlainWord(value)) return false;
  // A short number in a redirect is an id where it stands as a segment, or under a name that says so.
  if (extractor.kind === 'header' && extractor.name === 'location')
    return !isWeak(value) || extractor.within?.left.startsWith('/') === true || /(^|[_-])id$|Id$|ID$|^(no|number|key)$/.test(name);
  return origin.linked && extractor.kind === 'jsonpath' && (isBareId(origin.name) || namesThing(origin.name) || /^\d+$/.test(value));
}
