import {
  allSteps,
  changeChecked,
  type Check,
  type FailureSign,
  type MessageExpectation,
  type MessageStep,
  type RequestStep,
} from '@sturdy/core';
import { CompileError, type CompileContext } from '../../contract/compile-context.js';
import { extractsOf, signsOf, type CompiledExtract } from '../../contract/judge-answer.js';
import type { Scope } from '../../values/scope.js';
import { dataOf } from '../../values/template.js';
import { bodyOf, type CompiledBody } from './compile-body.js';
import type { AwaitedMessage } from './wire-message.js';

/** A message over a WebSocket, ready to be played. */
export interface CompiledMessage {
  kind: 'message';
  step: string;
  /** Where its WebSocket leads, the environment's map applied. */
  origin: string;
  socket: string;
  action: MessageStep['action'];
  format: 'text' | 'binary';
  body: CompiledBody;
  /** The message that is waited for, after what was sent; null where none is. */
  awaits: ((sent: string, scope: Scope) => AwaitedMessage) | null;
  expect: MessageExpectation;
  failureSigns: readonly FailureSign[];
  extracts: readonly CompiledExtract[];
  checks: readonly Check[];
  /** Tables of which a new row is dealt for this message. */
  fresh: readonly string[];
}

/** The request that opens the WebSocket of a message. Throws `CompileError` where the script has none. */
function openingOf({ name, socket }: MessageStep, { script }: CompileContext): RequestStep {
  for (const { steps } of script.transactions)
    for (const step of allSteps(steps)) if (step.kind === 'request' && step.opensSocket === socket) return step;
  throw new CompileError(
    `Step “${name}” of “${script.name}” goes over the WebSocket “${socket}”, which no request of the script opens. Add the request that opens it, or delete the step.`,
  );
}

/** Compiles a message. Throws `CompileError` where its body is not stored, nothing opens its WebSocket, or its target is not allowed. */
export function compileMessage(step: MessageStep, context: CompileContext): CompiledMessage {
  const { options, fill } = context;
  const { awaits } = step;
  return {
    kind: 'message',
    step: step.id,
    origin: context.originOf({ origin: openingOf(step, context).origin, name: step.name }),
    socket: step.socket,
    action: step.action,
    format: step.format,
    body: bodyOf(step, context),
    awaits:
      awaits &&
      ((sent, scope) => ({
        ...awaits,
        sent,
        holds: awaits.holds.map((checked) => changeChecked(checked, (template) => [{ kind: 'text', text: fill(template, scope) }])),
      })),
    expect: step.expect,
    failureSigns: signsOf(step.id, context),
    extracts: extractsOf(step.id, context),
    checks: step.checks ?? [],
    fresh: [...new Set(dataOf(step.body ? [step.body] : []))].filter((table) => options.dealtPerUse?.has(table)),
  };
}
