import type { FailureReason } from '@sturdy/core';

/** What every action has, of whatever kind: where it goes. */
export interface Addressed {
  origin: string;
}

/** What an action came to. Plain data, so that a driver may live in another thread or process. */
export interface Outcome<Observation = unknown> {
  /** Why it could not be performed; null where it was, whatever the application says. */
  failure: FailureReason | null;
  /** ms from the start of the action to its end. */
  durationMs: number;
  /** Named parts of that time in ms; -1 for a part that did not happen. */
  phases: Readonly<Record<string, number>>;
  bytesIn: number;
  bytesOut: number;
  /** What was seen of the application, as the kind of the action tells it; null where the driver could not be asked. */
  observation: Observation | null;
}

/**
 * One virtual user's way to applications of one kind: it performs actions, and keeps what lasts between them, such as connections. It judges
 * nothing and knows no scripts; actions come filled in, as plain data.
 */
export interface Driver<Action extends Addressed = Addressed, Observation = unknown> {
  /** What goes wrong is in the outcome. Targets and limits are those of the `ActionRules` with which the driver was made. */
  perform: (action: Action) => Promise<Outcome<Observation>>;
  /** Exchanges that one action may take at the most, each with limits of its own; 1 where it is absent. */
  mostExchanges?: number;
  /** An iteration begins. */
  newIteration?: () => void;
  /** Forgets all that it keeps, as a new visitor would come. */
  reset: () => Promise<void>;
  close: () => Promise<void>;
}
