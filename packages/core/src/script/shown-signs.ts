import { signOf, type FailureSign } from '../check/failure-sign.js';
import type { LoadedTake } from '../take/take.schema.js';
import { viewOf } from '../answers/response-view.js';
import { recordedSteps, type Script } from './script.schema.js';
import { answerOf } from '../actions/action-kinds.js';

/** By step the signs that its recorded answer holds: there they say nothing of failure. */
export type ShownSigns = Record<string, FailureSign[]>;

/** The signs that the recorded answers of a script's steps hold. */
export function shownSigns(script: Script, take: LoadedTake, signs: readonly FailureSign[]): ShownSigns {
  const byNumber = new Map(take.exchanges.map((exchange) => [exchange.n, exchange]));
  const shown: ShownSigns = {};
  for (const { step } of signs.length === 0 ? [] : recordedSteps(script)) {
    const exchange = byNumber.get(answerOf(step) ?? -1);
    const view = exchange && viewOf(exchange, take.readBody);
    const held = view ? signs.filter((sign) => signOf(view, [sign]) !== null) : [];
    if (held.length > 0) shown[step.id] = held;
  }
  return shown;
}
