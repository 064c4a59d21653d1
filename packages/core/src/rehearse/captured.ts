import type { BodyReader } from '../take/take.schema.js';
import type { AnswerText } from '../answers/response-view.js';
import { capturedMessage, capturedResponse } from '../actions/captured-answer.js';
import type { FailureSign } from '../check/failure-sign.js';
import type { RehearsalNote } from './rehearsal.schema.js';
import type { CapturedStep } from '../actions/action-step.schema.js';

/** What playing a script once gave: the captured steps, and the text of their bodies. */
export interface Captured {
  steps: CapturedStep[];
  readBody: BodyReader;
  /** Handoffs whose extractor found nothing, with the step that was to give them. */
  missing: { step: string; handoff: string }[];
  /** Texts that no good answer holds. */
  failureSigns?: readonly FailureSign[];
  /** What steps that send nothing said, and how they failed. */
  notes?: readonly RehearsalNote[];
  /** Requests that were passed over, because a condition did not hold. */
  skipped?: readonly string[];
  /** The step before which the tester ended the rehearsal, or at which it waits. */
  endedBefore?: string | undefined;
}

/** The last capture of each step: in a repeat the latest round counts. */
export const lastOfEach = (steps: readonly CapturedStep[]): Map<string, CapturedStep> => new Map(steps.map((step) => [step.step, step]));

/** True where the application answered a played step at all, or was not to; a message goes over a WebSocket that was answered. */
export function wasAnswered(captured: CapturedStep): boolean {
  switch (captured.kind) {
    case 'request':
      return captured.response !== null;
    case 'message':
      return true;
    case 'line':
      return captured.failure === null;
  }
}

/** The captured answer of a step that can be laid beside the take, or that of a redirect on the way (`hop`); undefined where none came. */
export function capturedView(captured: CapturedStep, readBody: BodyReader, hop?: number): AnswerText | undefined {
  if (captured.kind === 'request') return capturedResponse(captured, readBody, hop);
  return captured.kind === 'message' ? capturedMessage(captured, readBody) : undefined;
}
