import type { BodyReader } from '../take/take.schema.js';
import type { ResponseView } from '../answers/response-view.js';
import { capturedResponse } from '../actions/captured-answer.js';
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

/** True where the application answered a played step at all, or was not to. */
export const wasAnswered = (captured: CapturedStep): boolean =>
  captured.kind === 'request' ? captured.response !== null : captured.failure === null;

/** The captured response of a step that is a request, or that of a redirect on the way (`hop`); undefined where none came. */
export const capturedView = (captured: CapturedStep, readBody: BodyReader, hop?: number): ResponseView | undefined =>
  captured.kind === 'request' ? capturedResponse(captured, readBody, hop) : undefined;
