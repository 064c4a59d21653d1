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

/** An action under way, which is given up where it is not done in time. */
class Waiting<Observation> {
  constructor(
    readonly origin: string,
    readonly startedMs: number,
    readonly limitMs: number,
    readonly resolve: (outcome: Outcome<Observation>) => void,
  ) {}

  isLate(nowMs: number): boolean {
    return this.startedMs + this.limitMs < nowMs;
  }

  giveUp(): void {
    const text = `${this.origin} could not be asked: no end of the action within ${this.limitMs} ms.`;
    this.fail(failureReason('answer-timed-out', text));
  }

  fail(failure: FailureReason): void {
    this.resolve(notPerformed(failure, performance.now() - this.startedMs));
  }
}

/** What may not be done in time, whatever it observes. */
type Overdue = Pick<Waiting<never>, 'isLate' | 'giveUp'>;

/** How often it is looked for actions that are not done in time, in ms. */
const lookMs = 250;

/** Gives up what is not done in time. One timer looks after all actions: one for each would cost as much as all else that the engine adds to a request. */
class Watchdog {
  readonly #waiting = new Set<Overdue>();
  #timer: NodeJS.Timeout | null = null;

  add(waiting: Overdue): void {
    this.#waiting.add(waiting);
    this.#timer ??= setInterval(() => {
      this.#look();
    }, lookMs).unref();
  }

  remove(waiting: Overdue): void {
    this.#waiting.delete(waiting);
  }

  #look(): void {
    const nowMs = performance.now();
    for (const waiting of this.#waiting)
      if (waiting.isLate(nowMs)) {
        this.#waiting.delete(waiting);
        waiting.giveUp();
      }
    if (this.#waiting.size > 0 || !this.#timer) return;
    clearInterval(this.#timer);
    this.#timer = null;
  }
}
const watchdog = new Watchdog();

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
    const waiting = new Waiting<Observation>(action.origin, startedMs, limitMs, resolve);
    watchdog.add(waiting);
    driver.perform(action).then(
      (outcome) => {
        watchdog.remove(waiting);
        resolve(outcome);
      },
      (error: unknown) => {
        watchdog.remove(waiting);
        waiting.fail(failureReason('not-sent', error instanceof Error ? error.message : String(error)));
      },
    );
  });
}
