import type { Clock } from '../clock/clock.js';

/** A clock that stands still until it is moved. */
export class TestClock implements Clock {
  #work = new Set<() => void>();

  constructor(private ms: number) {}

  now = (): number => this.ms;

  every = (_ms: number, work: () => void): (() => void) => {
    this.#work.add(work);
    return () => this.#work.delete(work);
  };

  /** Lets so many ms pass at once, as for a machine that was asleep, and then calls whoever waits once. */
  move(ms: number): void {
    this.ms += ms;
    for (const work of this.#work) work();
  }
}
