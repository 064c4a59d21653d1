/** Times that a clock is asked for; the answer that came quickest tells most. */
const questions = 5;

/**
 * What the clocks of generators show more than the conductor's: a reading less the middle of question and answer (the way of NTP, RFC 5905, 8),
 * known to half of the time between.
 */
export class ClockBook {
  readonly #clocks = new Map<number, { read: number; offsetMs: number; uncertaintyMs: number; longestMs: number }>();

  /** Takes in a reading; true once the clock was read often enough. */
  read(generator: number, { sentMs, ownMs }: { sentMs: number; ownMs: number }, receivedMs: number): boolean {
    const known = this.#clocks.get(generator) ?? { read: 0, offsetMs: 0, uncertaintyMs: Infinity, longestMs: 0 };
    this.#clocks.set(generator, known);
    known.read++;
    known.longestMs = Math.max(known.longestMs, receivedMs - sentMs);
    const uncertaintyMs = (receivedMs - sentMs) / 2;
    if (uncertaintyMs < known.uncertaintyMs) Object.assign(known, { uncertaintyMs, offsetMs: ownMs - (sentMs + receivedMs) / 2 });
    return known.read >= questions;
  }

  /** Clocks that were read often enough. */
  get known(): number {
    return [...this.#clocks.values()].filter((clock) => clock.read >= questions).length;
  }

  /** The longest time between a question and its answer, in ms, over all clocks; what was lost and sent again is in it. */
  get longestMs(): number {
    return Math.max(0, ...[...this.#clocks.values()].map(({ longestMs }) => longestMs));
  }

  /** Times in ms. */
  of(generator: number): { offsetMs: number; uncertaintyMs: number } {
    const { offsetMs = 0, uncertaintyMs = 0 } = this.#clocks.get(generator) ?? {};
    return { offsetMs, uncertaintyMs };
  }
}
