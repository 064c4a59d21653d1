import { headerOf } from '../take/messages.js';
import type { LoadedTake } from '../take/take.schema.js';
import { headersIn, viewOf, type AnswerText } from '../answers/response-view.js';
import { recordedSteps, type Script } from '../script/script.schema.js';
import { answerOf, exchangesOf } from '../actions/action-kinds.js';
import { stepsOfTake, type StepOfTake } from '../correlate/find/candidates.js';
import type { SecondTake } from '../correlate/pair/second-take.js';
import { capturedView, lastOfEach, type Captured } from '../rehearse/captured.js';
import type { CapturedStep } from '../actions/action-step.schema.js';
import { capturedResponse } from '../actions/captured-answer.js';
import type { RecordedStep } from '../actions/sent-parts.js';
import { sentNow } from '../rehearse/sent-now.js';

/** A step with what the take and the rehearsals say of it. */
export interface LaidStep {
  step: RecordedStep;
  number: number;
  stepOfTake: StepOfTake | undefined;
  recorded: AnswerText[];
  other: AnswerText | undefined;
  replays: { sent: Map<string, string>; views: AnswerText[] }[];
}

/** Lays the steps of a script beside what was recorded, what the second take got, and what each rehearsal sent and got. */
export function layOut(script: Script, loaded: LoadedTake, twin: SecondTake | null, rehearsals: readonly Captured[]): LaidStep[] {
  const byNumber = new Map(loaded.exchanges.map((exchange) => [exchange.n, exchange]));
  const ofTake = new Map(stepsOfTake(script, loaded).map((stepOfTake) => [stepOfTake.step.id, stepOfTake]));
  const captures = rehearsals.map((rehearsal) => lastOfEach(rehearsal.steps));
  return recordedSteps(script).map(({ step, number }) => ({
    step,
    number,
    stepOfTake: ofTake.get(step.id),
    recorded: exchangesOf(step).flatMap((n) => {
      const exchange = byNumber.get(n);
      return exchange ? [viewOf(exchange, loaded.readBody)].filter((view) => view !== undefined) : [];
    }),
    other: twin?.partnerOf(answerOf(step) ?? -1)?.view,
    replays: captures.flatMap((capture, at) => {
      const captured = capture.get(step.id);
      const rehearsal = rehearsals[at];
      return captured && rehearsal
        ? [{ sent: sentNow(captured, rehearsal.readBody), views: viewsOf(captured, rehearsal) }]
        : [{ sent: new Map<string, string>(), views: [] }];
    }),
  }));
}

const viewsOf = (captured: CapturedStep, rehearsal: Captured): AnswerText[] =>
  [
    ...(captured.kind === 'request' ? (captured.hops ?? []).map((_, hop) => capturedResponse(captured, rehearsal.readBody, hop)) : []),
    capturedView(captured, rehearsal.readBody),
  ].filter((view) => view !== undefined);

/** Where the last redirect among some answers leads, without its origin; undefined where none does. */
export function ledTo(views: readonly AnswerText[]): string | undefined {
  const location = views.map((view) => headerOf(headersIn(view), 'location')).findLast((target) => target !== undefined);
  return location?.replace(/^[a-z][a-z0-9+.-]*:\/\/[^/?#]*/i, '');
}
