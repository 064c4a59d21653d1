import type { LoadedTake } from '../take/take.schema.js';
import { changeRequests, placeOfResponse, type Script, type UnsureValue } from '../script/script.schema.js';
import { answerOf } from '../actions/action-kinds.js';
import type { RequestStep } from '../actions/http/request.schema.js';
import { describeExtractor } from '../extractors/describe-extractor.js';
import { isCounted } from '../script-edit/coverage.js';
import { isLeaf, type SentNode } from '../actions/sent-values.js';
import { commonShape, commonTitle, fitsTitle } from '../take/messages.js';
import { nameBefore, stepsOfTake, visitParts, visitStill, type StepOfTake } from './find/candidates.js';
import { countersOf } from './decide/counters.js';
import { Flows, type Find } from './decide/flows.js';
import { HandoffMaker, type Correlated, type Target } from './make/handoff-maker.js';
import { PatternBook } from './weigh/pattern-match.js';
import type { HandoffPattern } from '../patterns/pattern.schema.js';
import { publishedPatterns } from '../patterns/published.js';
import { Judge } from './decide/judge.js';
import { findMade } from './decide/made-values.js';
import { differingParts, SecondTake } from './pair/second-take.js';
import { dynamicShape } from './find/shapes.js';
import { ValueIndex, type Origin, type Progress } from './find/value-index.js';
import { bitsOfProof, chanceOf, evidenceOf } from './weigh/weigh.js';

/**
 * Correlates a script with its take: makes handoffs of the values that a second take proves or that shape and name make
 * likely, client-made values of what no response gave, and lists the values it is not sure about. `patterns` say what is known of
 * values by their names; `onProgress` hears of the progress. Throws a sentence where an expression of a pattern is not valid.
 */
export function correlate(
  script: Script,
  loaded: LoadedTake,
  second: LoadedTake | null,
  patterns: readonly HandoffPattern[] = publishedPatterns,
  onProgress: Progress = () => undefined,
): Correlated {
  const correlation = new Correlation(script, loaded, second, patterns);
  correlation.index.readAnswers((done, total) => {
    onProgress(done, 2 * total);
  });
  return correlation.judge(onProgress);
}

/**
 * One pass over a script. The answers are read into its index first, by this thread or by others; then it judges what is sent. Reading the
 * answers is most of the work.
 */
export class Correlation {
  readonly index: ValueIndex;
  readonly #maker: HandoffMaker;
  readonly #twin: SecondTake | null;
  readonly #judge: Judge;
  readonly #flows: Flows;
  readonly #steps: StepOfTake[];
  readonly #counters: ReadonlySet<string>;
  readonly #unsure: UnsureValue[] = [];

  constructor(
    readonly script: Script,
    readonly loaded: LoadedTake,
    readonly second: LoadedTake | null,
    patterns: readonly HandoffPattern[] = publishedPatterns,
  ) {
    const book = new PatternBook(patterns);
    this.#twin = second && new SecondTake(loaded, second);
    this.index = new ValueIndex(loaded, script, this.#twin?.moving, book.knows);
    this.#maker = new HandoffMaker(script);
    this.#judge = new Judge(loaded, this.index, this.#twin, book);
    this.#flows = new Flows((n) => this.index.endedMs(n));
    this.#steps = stepsOfTake(script, loaded);
    this.#counters = countersOf(this.#steps);
  }

  /** Judges everything that is sent. Reading the answers was the first half of the progress, this is the second. */
  judge(onProgress: Progress): Correlated {
    for (const [at, stepOfTake] of this.#steps.entries()) {
      this.#step(stepOfTake);
      onProgress(this.#steps.length + at + 1, 2 * this.#steps.length);
    }
    return this.#result();
  }

  /** What the second take sent where a step sends a value; undefined where it says nothing. */
  #otherAt(stepOfTake: StepOfTake, node: SentNode): string | undefined {
    return this.#twin?.valueAt(stepOfTake.exchange.n, node.place);
  }

  /** Keeps that a value is to be handed off; false where no step of the script asks for what gives it. */
  #find(
    stepOfTake: StepOfTake,
    target: Target,
    found: Omit<Find, 'stepOfTake' | 'target' | 'name' | 'ofPage'> & { ofPage?: boolean },
  ): boolean {
    if (placeOfResponse(this.script, found.origin.exchange.n) === null) return false;
    const name = target.value === target.node.value ? target.node.name : nameBefore(target.node, target.start);
    this.#flows.add({ stepOfTake, target, name, ofPage: false, ...found });
    return true;
  }

  #step(stepOfTake: StepOfTake): void {
    visitStill(stepOfTake.step, (node) => {
      const otherValue = this.#otherAt(stepOfTake, node);
      // What is alike in both takes as a whole may still hold a part that is known to move.
      if (!isLeaf(node)) return otherValue !== node.value && this.#whole(stepOfTake, node, otherValue, false);
      if (this.#whole(stepOfTake, node, otherValue, true)) return true;
      if (node.peeled && node.kids.length > 0 && this.index.origins(node.value, node.name, stepOfTake.exchange).length === 0) return false;
      this.#parts(stepOfTake, node, otherValue);
      return true;
    });
  }

  /** Judges a value as a whole; true where it is dealt with. */
  #whole(stepOfTake: StepOfTake, node: SentNode, otherValue: string | undefined, leaf: boolean): boolean {
    // The client counts these; what answers hold of the same numbers is chance.
    if (this.#counters.has(node.place)) return true;
    const target: Target = { step: stepOfTake.step, node, value: node.value, start: 0, end: node.value.length };
    const differs = otherValue !== undefined && otherValue !== node.value;
    const origins = this.index.origins(node.value, node.name, stepOfTake.exchange, differs);
    if (node.isName && !differs) return false;
    if (!leaf && !differs && !origins.some((origin) => origin.linked && !origin.listed)) return false;
    const byForm = this.#judge.byForm(node, stepOfTake, otherValue, origins);
    if (byForm?.kind === 'handoff') return this.#find(stepOfTake, target, { ...byForm, other: otherValue, ofPage: true });
    if (byForm?.kind === 'unsure') this.#doubt(stepOfTake, node, byForm.reason);
    if (byForm) {
      this.#flows.input(stepOfTake, node);
      return leaf;
    }
    if (origins.length > 0) {
      const judged = this.#judge.judge({ value: node.value, name: node.name, place: node.place }, origins, otherValue, stepOfTake);
      if (judged.kind === 'handoff') return this.#find(stepOfTake, target, { ...judged, other: otherValue });
      if (!leaf) return false;
      if (judged.kind === 'chosen' || judged.kind === 'typed') this.#flows.input(stepOfTake, node);
      if (judged.kind === 'unsure') this.#doubt(stepOfTake, node, judged.reason, origins[0]);
      return judged.kind === 'chosen' || judged.kind === 'typed' || !differs;
    }
    for (const { origin, as } of this.index.spelledOtherwise(node.value, node.name, stepOfTake.exchange)) {
      if (differs && !this.#twin?.gives(origin, otherValue, as)) continue;
      const finding = `${describeExtractor(origin.extractor)} gives it in another spelling (${as})`;
      return this.#find(stepOfTake, target, {
        origin,
        evidence: differs ? 'proven' : 'likely',
        reason: differs ? `It differs between the two takes, and ${finding}, right in both.` : `A response gave it first: ${finding}.`,
        as,
        bits: bitsOfProof,
        other: otherValue,
      });
    }
    return false;
  }

  /** Looks for what is server-made inside a value that no response gave as a whole. */
  #parts(stepOfTake: StepOfTake, node: SentNode, otherValue: string | undefined): void {
    if (this.#judge.isClock(node.value, stepOfTake) || this.index.isEcho(node.value, stepOfTake.exchange)) return;
    if (otherValue !== undefined && otherValue !== node.value) {
      for (const parts of differingParts(node.value, otherValue)) {
        const found = parts.flatMap((part) => {
          const value = node.value.slice(part.start, part.end);
          if (this.index.isTypedPart(node.value, part, stepOfTake.exchange)) return [];
          const name = nameBefore(node, part.start);
          const origins = this.index.origins(value, name, stepOfTake.exchange, true);
          const [best] = this.#judge.weighed({ value, name, place: node.place }, origins, part.other, stepOfTake);
          const evidence = best && evidenceOf(best.weight, value);
          const target = { step: stepOfTake.step, node, value, start: part.start, end: part.end };
          return best && evidence ? [{ target, ...best, evidence, other: part.other }] : [];
        });
        for (const { target, origin, weight, evidence, other: there } of found)
          this.#find(stepOfTake, target, {
            origin,
            evidence,
            reason: `A part of what is sent differs between the two takes, and ${describeExtractor(origin.extractor)} gives the right one in both; ${chanceOf(weight)}.`,
            bits: weight.bits,
            other: there,
          });
        if (found.length > 0) return;
      }
      const shape = dynamicShape(node.name, node.value);
      if (shape && !this.#judge.isTyped(node.value, stepOfTake))
        this.#doubt(
          stepOfTake,
          node,
          `It differs between the two takes and ${shape}, but no place in the responses gives it. A page script may compute it.`,
        );
      return;
    }
    visitParts(node, this.index, stepOfTake.exchange, (part) => {
      const name = nameBefore(node, part.start);
      const judged = this.#judge.judge(
        { value: part.value, name, place: node.place },
        part.origins,
        otherValue === undefined ? undefined : part.value,
        stepOfTake,
      );
      // A part of a readable text is there by chance, unless a token or a made thing's id says otherwise.
      if (judged.kind !== 'handoff') return false;
      return this.#find(
        stepOfTake,
        { step: stepOfTake.step, node, ...part },
        { ...judged, other: otherValue === undefined ? undefined : part.value },
      );
    });
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
    const otherTitle = title === null || answer === null ? undefined : this.#twin?.titleOf(answer);
    if (title === null || otherTitle === undefined || fitsTitle(title, otherTitle)) return step;
    return { ...step, expect: { ...step.expect, title: commonTitle(title, otherTitle) } };
  }

  #doubt(stepOfTake: StepOfTake, node: SentNode, reason: string, origin?: Origin): void {
    if (!isCounted(node) || node.isName) return;
    this.#unsure.push({
      step: stepOfTake.step.id,
      place: node.place,
      value: node.value,
      origin: origin ? (placeOfResponse(this.script, origin.exchange.n)?.step ?? null) : null,
      extractor: origin?.extractor ?? null,
      reason,
    });
  }

  #result(): Correlated {
    this.#flows.resolve(this.#maker, this.#steps, (stepOfTake, node) => this.#otherAt(stepOfTake, node));
    findMade(this.script, this.loaded, this.index, this.#maker, this.#twin, this.#flows.inputs);
    const unsure = this.#unsure.filter((value) => !this.#maker.has(value.step, value.place));
    const result = this.#maker.result();
    const script = this.#twin ? changeRequests(result.script, (step) => this.#easeTitle(this.#easeRedirect(step))) : result.script;
    return {
      script: { ...script, unsure, secondTakeId: this.second?.take.id ?? this.script.secondTakeId },
      report: { ...result.report, unsure: unsure.length },
    };
  }
}
