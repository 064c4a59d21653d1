import type { Check, FailureSign, LineStep } from '@sturdy/core';
import { CompileError, type CompileContext } from '../../contract/compile-context.js';
import { extractsOf, type CompiledExtract } from '../../contract/judge-answer.js';
import { dataOf, type Render } from '../../values/template.js';

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

/** Where lines go. Throws `CompileError` where the target is not allowed, or is no place for lines. */
function lineOrigin(step: LineStep, { script, originOf }: CompileContext): string {
  const origin = originOf(step);
  const { protocol, port } = new URL(origin);
  if (protocol !== 'tcp:' || port === '')
    throw new CompileError(
      `Step “${step.name}” of “${script.name}” goes to ${origin}, where no lines can go. Write host and port, such as tcp://127.0.0.1:9100.`,
    );
  return origin;
}

/** Compiles a step that sends a line or waits for one. Throws `CompileError` where its target is not allowed. */
export function compileLine(step: LineStep, context: CompileContext): CompiledLine {
  const { environment, options, renderer } = context;
  return {
    kind: 'line',
    step: step.id,
    origin: lineOrigin(step, context),
    send: step.send && renderer(step.send),
    expect: step.expect && renderer(step.expect),
    failureSigns: environment.failureSigns,
    extracts: extractsOf(step.id, context),
    checks: step.checks ?? [],
    fresh: [...new Set(dataOf(step.send ? [step.send] : []))].filter((table) => options.dealtPerUse?.has(table)),
  };
}
