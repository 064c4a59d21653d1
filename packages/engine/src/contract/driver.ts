import type { FailureReason } from '@sturdy/core';

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
  /** What was seen of the application, as the kind of the action tells it. */
  observation: Observation;
}

/**
 * One virtual user's way to applications of one kind: it performs actions, and keeps what lasts between them, such as connections. It judges
 * nothing and knows no scripts; actions come filled in, as plain data.
 */
export interface Driver<Action = unknown, Observation = unknown> {
  /** Never rejects: what goes wrong is in the outcome. */
  perform: (action: Action) => Promise<Outcome<Observation>>;
  /** An iteration begins. */
  newIteration?: () => void;
  /** Forgets all that it keeps, as a new visitor would come. */
  reset: () => Promise<void>;
  close: () => Promise<void>;
}
