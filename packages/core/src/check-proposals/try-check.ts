import * as z from 'zod';
import type { LoadedTake } from '../take/take.schema.js';
import { redirectTarget } from '../take/messages.js';
import type { Fill } from '../extractors/extract.js';
import { viewOf, type AnswerText } from '../answers/response-view.js';
import { actionSteps, type Script } from '../script/script.schema.js';
import { answerOf } from '../actions/action-kinds.js';
import { capturedAnswer } from '../actions/captured-answer.js';
import type { Check } from '../check/check.schema.js';
import { recordedText } from '../values/template.js';
import type { CapturedStep } from '../actions/action-step.schema.js';
import { SecondTake } from '../correlate/pair/second-take.js';
import type { Answer } from '../check/askers/check-asker.js';
import { checkFailure, checkProblem } from '../check/check.js';
import { playedFill } from './played-values.js';
import type { PlayedAnswers } from './suggest-checks.js';
import { answerBody } from '../take/exchanges.js';

/** What a check says of one answer at hand. */
export const TriedCheckSchema = z.object({
  source: z.enum(['take', 'second-take', 'rehearsal']),
  rehearsal: z.number().int().nullable(),
  /** Why it fails there, in a sentence; null where it holds. */
  failure: z.string().nullable(),
  /** True where the step had failed in that rehearsal, so that a failing check is right. */
  stepFailed: z.boolean(),
});
export type TriedCheck = z.infer<typeof TriedCheckSchema>;

/** Tries a check on every answer of its step: the take's, the second take's, those of rehearsals. Or says why it cannot be tried. */
export function tryCheck(
  script: Script,
  take: LoadedTake,
  second: LoadedTake | null,
  rehearsals: readonly (PlayedAnswers & { number: number })[],
  step: string,
  check: Check,
): { tried: TriedCheck[]; problem: string | null } {
  const problem = checkProblem(check);
  if (problem !== null) return { tried: [], problem };
  const actionStep = actionSteps(script).find((numberedStep) => numberedStep.step.id === step)?.step;
  const n = actionStep && answerOf(actionStep);
  const exchange = take.exchanges.find((candidate) => candidate.n === n);
  const twin = second && new SecondTake(take, second);
  const tried: TriedCheck[] = [];
  const tryOn = (source: TriedCheck['source'], answer: Answer, fill: Fill, rehearsal: number | null = null, stepFailed = false): void => {
    tried.push({ source, rehearsal, failure: checkFailure(check, answer, fill), stepFailed });
  };
  try {
    const view = exchange && viewOf(exchange, take.readBody);
    if (exchange && view) tryOn('take', recordedAnswer(exchange, view), recordedText);
    const partner = n == null ? undefined : twin?.partnerOf(n);
    if (partner && twin)
      tryOn('second-take', recordedAnswer(partner.exchange, partner.view), (template) => twin.textFor(recordedText(template)));
    for (const { number, steps, failed, readBody } of rehearsals) {
      const played = steps.findLast((captured) => captured.step === step);
      const replayed = played && capturedAnswer(played, readBody);
      if (played && replayed)
        tryOn('rehearsal', playedAnswer(played, replayed), playedFill(script, steps, readBody), number, failed.includes(step));
    }
  } catch (error) {
    return { tried, problem: `It cannot be tried: ${error instanceof Error ? error.message : String(error)}` };
  }
  return { tried, problem: null };
}

const recordedAnswer = (exchange: LoadedTake['exchanges'][number], view: AnswerText): Answer => ({
  view,
  location: exchange.kind === 'request' && exchange.response ? redirectTarget(exchange.url, [exchange.response]) : undefined,
  bytes: answerBody(exchange)?.size ?? 0,
  durationMs: exchange.durationMs,
});

const playedAnswer = (played: CapturedStep, view: AnswerText): Answer => ({
  view,
  location: played.kind === 'request' && played.response ? redirectTarget(played.request.url, played.hops ?? [played.response]) : undefined,
  bytes: bytesOf(played, view),
  durationMs: played.durationMs,
});

function bytesOf(played: CapturedStep, view: AnswerText): number {
  switch (played.kind) {
    case 'request':
      return played.response?.body?.size ?? 0;
    case 'message':
      return played.answer?.size ?? 0;
    case 'line':
      return new TextEncoder().encode(view.body).length;
  }
}
