import { allowsTarget, clearanceOf, clearedUntilMs, failureReason, type Crew, type Environment, type FailureReason } from '@sturdy/core';

/** How long an action may take, in ms. */
export interface ActionLimits {
  /** Until a connection stands. */
  connectMs: number;
  /** From the start to the first byte of an answer; absent where only the whole answer counts. */
  firstByteMs?: number;
  /** From the start to the end of the answer. */
  answerMs: number;
}

/** A target beyond this machine for which somebody gave leave. */
export interface ClearedTarget {
  /** Until then, in ms since 1970. */
  untilMs: number;
  /** IP addresses to which it may lead. */
  addresses: readonly string[];
  /** Requests a second of the whole run, at the most; null for no ceiling. */
  requestsPerSecond: number | null;
}

/** What holds for the actions of a virtual user, of whatever kind. Plain data, so that a driver may live in another thread or process. */
export interface ActionRules {
  /** Origins that may be connected to. */
  targets: readonly string[];
  /** By origin: those of the targets that are not this machine. */
  cleared: Readonly<Record<string, ClearedTarget>>;
  limits: ActionLimits;
}

/** Limits where the crew names none. */
export const usualLimits: ActionLimits = { connectMs: 10_000, answerMs: 60_000 };

/** The rules of an environment, with the time-outs of a crew. */
export function rulesFor(
  environment: Pick<Environment, 'targets' | 'clearances'>,
  { timeouts }: Pick<Crew, 'timeouts'> = {},
  nowMs = Date.now(),
): ActionRules {
  const targets = environment.targets.filter((target) => allowsTarget(environment, target, nowMs));
  const cleared = targets.flatMap((origin) => {
    const clearance = clearanceOf(environment, origin);
    return clearance
      ? [[origin, { untilMs: clearedUntilMs(clearance), addresses: clearance.addresses, requestsPerSecond: clearance.requestsPerSecond }]]
      : [];
  }) as [string, ClearedTarget][];
  return { targets, cleared: Object.fromEntries(cleared), limits: limitsOf(timeouts) };
}

const limitsOf = (timeouts: Crew['timeouts']): ActionLimits =>
  timeouts
    ? {
        connectMs: timeouts.connectMs,
        answerMs: timeouts.answerMs,
        ...(timeouts.firstByteMs === undefined ? {} : { firstByteMs: timeouts.firstByteMs }),
      }
    : usualLimits;

/** What failed where something was to go to an origin that is not allowed. */
export const notAllowed = (origin: string): FailureReason =>
  failureReason(
    'target-not-allowed',
    `${origin} is not an allowed target, so nothing was sent. Add it to the environment if it is yours to test.`,
  );

/** Why nothing may be sent to an origin at this moment; null where it may. */
export function refusalOf({ targets, cleared }: Pick<ActionRules, 'targets' | 'cleared'>, origin: string): FailureReason | null {
  if (!targets.includes(origin)) return notAllowed(origin);
  const clearance = cleared[origin];
  return clearance !== undefined && Date.now() > clearance.untilMs
    ? failureReason('clearance-ended', `The clearance of ${origin} ended while it was tested, so nothing more was sent.`)
    : null;
}
