import { allowsTarget, failureReason, type Crew, type Environment, type FailureReason } from '@sturdy/core';

/** How long an action may take, in ms. */
export interface ActionLimits {
  /** Until a connection stands. */
  connectMs: number;
  /** From the start to the first byte of an answer; absent where only the whole answer counts. */
  firstByteMs?: number;
  /** From the start to the end of the answer. */
  answerMs: number;
}

/** What holds for the actions of a virtual user, of whatever kind. Plain data, so that a driver may live in another thread or process. */
export interface ActionRules {
  /** Origins that may be connected to. */
  targets: readonly string[];
  limits: ActionLimits;
}

/** Limits where the crew names none. */
export const usualLimits: ActionLimits = { connectMs: 10_000, answerMs: 60_000 };

/** The rules of an environment, with the time-outs of a crew. */
export const rulesFor = ({ targets }: Pick<Environment, 'targets'>, { timeouts }: Pick<Crew, 'timeouts'> = {}): ActionRules => ({
  targets: targets.filter((target) => allowsTarget({ targets }, target)),
  limits: timeouts
    ? {
        connectMs: timeouts.connectMs,
        answerMs: timeouts.answerMs,
        ...(timeouts.firstByteMs === undefined ? {} : { firstByteMs: timeouts.firstByteMs }),
      }
    : usualLimits,
});

/** What failed where something was to go to an origin that is not allowed. */
export const notAllowed = (origin: string): FailureReason =>
  failureReason(
    'target-not-allowed',
    `${origin} is not an allowed target, so nothing was sent. Add it to the environment if it is yours to test.`,
  );

/** Why nothing may be sent to an origin; null where it may. */
export const refusalOf = ({ targets }: Pick<ActionRules, 'targets'>, origin: string): FailureReason | null =>
  targets.includes(origin) ? null : notAllowed(origin);
