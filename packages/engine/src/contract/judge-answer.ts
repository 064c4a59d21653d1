import {
  checkFailure,
  failureOfCheck,
  failureReason,
  readPlaces,
  readValue,
  type Answer,
  type AnswerText,
  type Check,
  type Extractor,
  type FailureReason,
  type FailureSign,
} from '@sturdy/core';
import type { CompileContext } from './compile-context.js';
import { fillerOf, type Fillers, type Render } from '../values/template.js';
import type { Scope } from '../values/scope.js';
import type { AnyPlayed } from './player.js';

/** What a compiled action reads from its answer. */
export interface CompiledExtract {
  handoff: string;
  extractor: Extractor;
  /** Which of several answers, where the kind has them; absent for the last. */
  hop: number | undefined;
  /** The text that the extractor looks for beside its match, where it has one. */
  fill: Render | undefined;
}

/** What is read from the answer of a step. */
export const extractsOf = (step: string, { script, renderer }: CompileContext): CompiledExtract[] =>
  script.handoffs.flatMap((handoff) =>
    readPlaces(handoff)
      .filter((place) => place.step === step)
      .map(({ hop }) => ({ handoff: handoff.id, extractor: handoff.extractor, hop, fill: fillerOf(handoff.extractor, renderer) })),
  );

/** The failure signs that an answer of a step is looked through for: those that its recorded answer holds are none. */
export function signsOf(step: string, { environment, options }: CompileContext): readonly FailureSign[] {
  const shown = new Set(options.shownSigns?.[step]?.map((sign) => JSON.stringify(sign)));
  return shown.size === 0 ? environment.failureSigns : environment.failureSigns.filter((sign) => !shown.has(JSON.stringify(sign)));
}

/** Reads handoffs from an answer into the scope; gives those of which nothing was found. `viewOf` gives one of several answers. */
export function readHandoffs(
  extracts: readonly CompiledExtract[],
  view: AnswerText,
  scope: Scope,
  viewOf: (hop: number) => AnswerText = () => view,
): string[] {
  const missing: string[] = [];
  for (const { handoff, extractor, hop, fill } of extracts) {
    const value = readValue(extractor, hop === undefined ? view : viewOf(hop), scope.random, fill && (() => fill(scope)));
    if (value === undefined) missing.push(handoff);
    else scope.handoffs.set(handoff, value);
  }
  return missing;
}

/** What the checks of one answer came to. */
export interface CheckResult {
  failures: FailureReason[];
  asks: AnyPlayed['asks'];
}

/** No checks, or none that failed. */
export const allHold: CheckResult = { failures: [], asks: 'nothing' };

/** Asks all checks of an answer; one that cannot be asked fails. */
export function askChecks(checks: readonly Check[], answer: Answer, fill: Fillers, scope: Scope): CheckResult {
  const failed = checks.flatMap((check) => {
    try {
      const sentence = checkFailure(check, answer, (template) => fill(template, scope));
      return sentence === null ? [] : [{ failure: failureOfCheck(check, sentence), asks: check.onFailure }];
    } catch (error) {
      const text = `A check cannot be made: ${error instanceof Error ? error.message : String(error)}`;
      return [{ failure: failureReason('check-invalid', text, check.id), asks: check.onFailure }];
    }
  });
  const asks = failed.map((check) => check.asks);
  return {
    failures: failed.map(({ failure }) => failure),
    asks: asks.includes('stop-user') ? 'stop-user' : asks.includes('next-iteration') ? 'next-iteration' : 'nothing',
  };
}
