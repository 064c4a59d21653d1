/** Meeting points of the users of one generator: who comes waits until enough have come, or until its time is over. */
export class Meetings {
  readonly #waiting = new Map<string, (() => void)[]>();
  #isOpen = false;

  /** Resolves once `users` have come to this step, after `atMostMs` at the latest. */
  meet(step: string, users: number, atMostMs: number): Promise<void> {
    if (this.#isOpen) return Promise.resolve();
    const waiting = this.#waiting.get(step) ?? [];
    if (waiting.length + 1 >= users) {
      this.#waiting.delete(step);
      for (const go of waiting) go();
      return Promise.resolve();
    }
    return new Promise((done) => {
      const go = () => {
        clearTimeout(timer);
        const left = this.#waiting.get(step)?.filter((one) => one !== go) ?? [];
        if (left.length > 0) this.#waiting.set(step, left);
        else this.#waiting.delete(step);
        done();
      };
      const timer = setTimeout(go, atMostMs);
      this.#waiting.set(step, [...waiting, go]);
    });
  }

  /** Lets everybody through from now on: the run ends. */
  open(): void {
    this.#isOpen = true;
    for (const waiting of [...this.#waiting.values()]) for (const go of [...waiting]) go();
  }
}
