import { readPlaces, type Check, type FailureSign, type LineStep } from '@sturdy/core';
import type { CompileContext } from '../../contract/compile-context.js';
import type { CompiledExtract } from '../../contract/judge-answer.js';
import { dataOf, fillerOf, type Render } from '../../values/template.js';

/** A line, ready to be played. */
export interface CompiledLine {
  kind: 'line';
  step: string;
  /** Origin that is connected to, the environment's map applied. */
  origin: string;
  send: Render | null;
  /** A text that the answering line holds; null where no line is awaited. */
  expect: Render | null;
  failureSigns: readonly FailureSign[];
  extracts: readonly CompiledExtract[];
  checks: readonly Check[];
  /** Tables of which a new row is dealt for this line. */
  fresh: readonly string[];
}

/** Compiles a step that sends a line or waits for one. Throws `CompileError` where its target is not allowed. */
export function compileLine(step: LineStep, { script, environment, options, renderer, originOf }: CompileContext): CompiledLine {
  return {
    kind: 'line',
    step: step.id,
    origin: originOf(step),
    send: step.send && renderer(step.send),
    expect: step.expect && renderer(step.expect),
    failureSigns: environment.failureSigns,
    extracts: script.handoffs.flatMap((handoff) =>
      readPlaces(handoff)
        .filter((place) => place.step === step.id)
        .map(() => ({ handoff: handoff.id, extractor: handoff.extractor, hop: undefined, fill: fillerOf(handoff.extractor, renderer) })),
    ),
    checks: step.checks ?? [],
    fresh: [...new Set(dataOf(step.send ? [step.send] : []))].filter((table) => options.dealtPerUse?.has(table)),
  };
}
