import { normaliseMessage, type Crew, type SampleBook, type UserState } from '@sturdy/core';
import { capture } from '../play/capture.js';
import { trafficOf, type PlayedStep } from '../play/virtual-user.js';
import type { Meter } from './meter.js';
import type { Schedule } from './schedule.js';

/** Text of a failed exchange is kept up to this many characters. */
const exampleLimit = 20_000;

/** Tells the meter what virtual users did, and keeps what each of them last did wrong. */
export class Reporter {
  constructor(
    readonly meter: Meter,
    readonly schedule: Schedule,
    /** Keeps each request apart; null where nobody wants that. */
    readonly samples: () => SampleBook | null,
  ) {}

  /** A step that sends nothing failed: there is no exchange to show, only what it said. */
  noted(crew: Crew, state: UserState, transaction: string, step: string, text: string): void {
    state.lastError = text;
    this.meter.failure(crew.id, transaction, step, text, () => null);
  }

  played(crew: Crew, state: UserState, played: PlayedStep): void {
    const { response } = played;
    // What the user had already took no time of the system; it would only make its figures better.
    if (!response.fromCache) {
      const traffic = trafficOf(response);
      this.meter.sample(crew.id, played.transaction, played.step, response.durationMs, played.failure === null, traffic);
      this.samples()?.add({
        ...traffic,
        crew: crew.id,
        transaction: played.transaction,
        step: played.step,
        atMs: performance.now() - this.schedule.startedMs,
        durationMs: response.durationMs,
        user: state.user,
        iteration: state.iteration,
        status: response.status,
        failure: played.failure === null ? null : normaliseMessage(played.failure),
      });
    }
    if (played.failure === null) return;
    state.lastError = played.failure;
    this.meter.failure(crew.id, played.transaction, played.step, played.failure, () => {
      const text = (bytes: Uint8Array | string | null) =>
        (typeof bytes === 'string' ? bytes : bytes ? Buffer.from(bytes).toString() : '').slice(0, exampleLimit);
      const noBody = (bytes: Uint8Array, mimeType: string) => ({ hash: '', size: bytes.length, mimeType });
      return {
        user: state.user,
        captured: capture(played, this.schedule.startedMs, noBody),
        requestText: text(played.request.body),
        responseText: text(response.body),
      };
    });
  }
}
