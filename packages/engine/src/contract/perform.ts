import { failureReason, type FailureReason } from '@sturdy/core';
import type { Addressed, Driver, Outcome } from './driver.js';
import { refusalOf, type ActionRules } from './rules.js';

const notPerformed = (failure: FailureReason, durationMs: number): Outcome<never> => ({
  failure,
  durationMs,
  phases: {},
  bytesIn: 0,
  bytesOut: 0,
  observation: null,
});

/** How much longer than its limits a driver may take before it is given up, in ms: it ends by itself in good order. */
const graceMs = 1000;

/**
 * Has a driver perform an action under the rules, whatever its kind: nothing goes to a target that is not allowed, and a driver that does not
 * answer in time, or throws, is a failure like any other.
 */
export function perform<Action extends Addressed, Observation>(
  driver: Driver<Action, Observation>,
  action: Action,
  rules: ActionRules,
): Promise<Outcome<Observation>> {
  const refusal = refusalOf(rules, action.origin);
  if (refusal) return Promise.resolve(notPerformed(refusal, 0));
  const startedMs = performance.now();
  const { connectMs, answerMs } = rules.limits;
  const limitMs = (connectMs + answerMs) * (driver.mostExchanges ?? 1) + graceMs;
  return new Promise((resolve) => {
    const giveUp = (failure: FailureReason) => {
      resolve(notPerformed(failure, performance.now() - startedMs));
    };
    const timer = setTimeout(() => {
      giveUp(failureReason('answer-timed-out', `${action.origin} could not be asked: no end of the action within ${limitMs} ms.`));
    }, limitMs);
    driver.perform(action).then(
      (outcome) => {
        clearTimeout(timer);
        resolve(outcome);
      },
      (error: unknown) => {
        clearTimeout(timer);
        giveUp(failureReason('not-sent', error instanceof Error ? error.message : String(error)));
      },
    );
  });
}
