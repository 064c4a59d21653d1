import type { Frame } from '@sturdy/core';

/** A second that can be shown. */
export interface LiveSecondFrames {
  second: number;
  /** All frames of the second that have come. */
  frames: Frame[];
  /** Those that were not shown before: all of them, or those of generators that were silent when it was. */
  fresh: Frame[];
  isFirst: boolean;
}

/** Seconds that were shown are kept so long for frames that come late. */
const keptSeconds = 120;

/** Frames by second. A second is shown once all generators that are waited for have told of it, and again where others come later. */
export class LiveSeconds {
  readonly #waiting = new Map<number, Frame[]>();
  readonly #shown = new Map<number, Frame[]>();
  #latest = -1;

  constructor(
    /** Generators that are waited for. */
    readonly expected: () => readonly number[],
    readonly show: (second: LiveSecondFrames) => void,
  ) {}

  add(frame: Frame): void {
    const { second } = frame;
    const shown = this.#shown.get(second);
    if (shown) {
      shown.push(frame);
      this.show({ second, frames: shown, fresh: [frame], isFirst: false });
    } else if (second > this.#latest - keptSeconds) {
      this.#waiting.set(second, [...(this.#waiting.get(second) ?? []), frame]);
      this.#showIfComplete(second);
    }
  }

  /** Fewer generators are waited for than before: shows what only waited for the others. */
  settle(): void {
    for (const second of [...this.#waiting.keys()].sort((left, right) => left - right)) this.#showIfComplete(second);
  }

  #showIfComplete(second: number): void {
    const frames = this.#waiting.get(second) ?? [];
    if (!this.expected().every((generator) => frames.some((frame) => frame.generator === generator))) return;
    this.#waiting.delete(second);
    this.#shown.set(second, frames);
    this.#latest = Math.max(this.#latest, second);
    for (const old of this.#shown.keys()) if (old <= this.#latest - keptSeconds) this.#shown.delete(old);
    this.show({ second, frames, fresh: frames, isFirst: true });
  }
}
