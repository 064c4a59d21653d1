import {
  failureKind,
  type CapturedExchange,
  type Crew,
  type FailureReason,
  type SampleBook,
  type UserLogEntry,
  type UserState,
} from '@sturdy/core';
import { capture, textsOf, type PlayedStep } from '../drivers/kinds.js';
import { trafficOf } from '../play/virtual-user.js';
import type { Meter } from './meter.js';
import type { Schedule } from './schedule.js';

/** Text of a failed exchange is kept up to this many characters. */
const exampleLimit = 20_000;

/** Entries of watched users that wait to be told, at the most: more than that nobody reads. */
const mostEntries = 500;

/** Tells the meter what virtual users did, and keeps what each of them last did wrong. */
export class Reporter {
  constructor(
    readonly meter: Meter,
    readonly schedule: Schedule,
    /** Keeps each request apart; null where nobody wants that. */
    readonly samples: () => SampleBook | null,
  ) {}

  /** Users whose requests are told one by one; true where they are captured in full. */
  watched: ReadonlyMap<number, boolean> = new Map();
  #log: UserLogEntry[] = [];

  /** Takes out what watched users did. */
  takeLog(): UserLogEntry[] {
    return this.#log.splice(0);
  }

  /** A step that sends nothing failed: there is no exchange to show, only what it said. */
  failed(crew: Crew, state: UserState, transaction: string, step: string, failure: FailureReason): void {
    state.lastError = failure.text;
    this.meter.failure(crew.id, transaction, step, failure, () => null);
  }

  played(crew: Crew, state: UserState, played: PlayedStep): void {
    const { durationMs } = played.outcome;
    // What the user had already took no time of the system; it would only make its figures better.
    if (!played.fromCache) {
      const traffic = trafficOf(played);
      this.meter.sample(crew.id, played.transaction, played.step, durationMs, played.failure === null, traffic);
      this.samples()?.add({
        ...traffic,
        crew: crew.id,
        transaction: played.transaction,
        step: played.step,
        atMs: performance.now() - this.schedule.startedMs,
        durationMs: durationMs,
        user: state.user,
        iteration: state.iteration,
        status: played.status,
        failure: played.failure && failureKind(played.failure),
      });
    }
    const captures = this.watched.get(state.user);
    if (captures !== undefined && this.#log.length < mostEntries)
      this.#log.push({
        user: state.user,
        atMs: performance.now() - this.schedule.startedMs,
        iteration: state.iteration,
        transaction: played.transaction,
        step: played.step,
        status: played.status,
        durationMs: durationMs,
        failure: played.failure?.text ?? null,
        exchange: captures ? this.#captured(state, played) : null,
      });
    if (played.failure === null) return;
    state.lastError = played.failure.text;
    this.meter.failure(crew.id, played.transaction, played.step, played.failure, () => this.#captured(state, played));
  }

  #captured({ user }: UserState, played: PlayedStep): CapturedExchange {
    const text = (bytes: Uint8Array | string | null) =>
      (typeof bytes === 'string' ? bytes : bytes ? Buffer.from(bytes).toString() : '').slice(0, exampleLimit);
    const { sent, answer } = textsOf(played);
    const noBody = (bytes: Uint8Array, mimeType: string) => ({ hash: '', size: bytes.length, mimeType });
    return {
      user,
      captured: capture(played, this.schedule.startedMs, noBody),
      requestText: text(sent),
      responseText: text(answer),
    };
  }
}
