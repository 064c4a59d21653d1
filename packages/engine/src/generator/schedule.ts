/** The time of a run on the clock of this process: when its curve began, what was passed over of it, and who waits for it. */
export class Schedule {
  #startedMs = 0;
  #skippedMs = 0;
  #skippedAtMs = -Infinity;
  readonly #waits = new Set<() => void>();
  /** Those who wait for a moment of the curve, which may come sooner than they thought. */
  readonly #onCurve = new Set<() => void>();
  #isOver = false;

  /** The run begins at a moment of this process (`performance.now()`). */
  begin(atMs: number): void {
    this.#startedMs = atMs;
  }

  /** Whole seconds since the start. */
  second(): number {
    return Math.floor((performance.now() - this.#startedMs) / 1000);
  }

  get startedMs(): number {
    return this.#startedMs;
  }

  /** Where the curve is now, in seconds from its start. */
  curveSeconds(): number {
    return (performance.now() - this.#startedMs + this.#skippedMs) / 1000;
  }

  /** When a moment of the curve comes; what was passed over came when it was. */
  at(curveSeconds: number): number {
    return this.#startedMs + curveSeconds * 1000 - this.#skippedMs;
  }

  /** When a moment of the curve came or comes for those who start at it: nobody is late for what was passed over. */
  dueAt(curveSeconds: number): number {
    return Math.max(this.at(curveSeconds), Math.min(this.#skippedAtMs, performance.now()));
  }

  /** True for a moment of the curve that was passed over. */
  isSkipped(curveSeconds: number): boolean {
    return this.at(curveSeconds) < this.#skippedAtMs;
  }

  /** Passes over so many seconds of the curve from now on. */
  skip(seconds: number): void {
    this.#skippedMs += seconds * 1000;
    this.#skippedAtMs = performance.now();
    for (const wake of [...this.#onCurve]) wake();
  }

  /** Nobody waits any more, now or later. */
  over(): void {
    this.#isOver = true;
    this.wakeAll();
  }

  wakeAll(): void {
    for (const wake of [...this.#waits]) wake();
  }

  /** Waits so long, or until somebody wakes it. */
  pause(ms: number, register?: (wake: () => void) => void): Promise<void> {
    if (ms <= 0 || this.#isOver) return Promise.resolve();
    return new Promise((done) => {
      const wake = () => {
        clearTimeout(timer);
        this.#waits.delete(wake);
        done();
      };
      const timer = setTimeout(wake, ms);
      this.#waits.add(wake);
      register?.(wake);
    });
  }

  /** Waits until a moment that is asked for anew whenever a part of the curve is passed over. */
  async until(moment: () => number): Promise<void> {
    for (let leftMs = moment() - performance.now(); leftMs > 0 && !this.#isOver; leftMs = moment() - performance.now()) {
      const waiting = { moved: false, wake: (): void => undefined };
      const move = () => {
        waiting.moved = true;
        waiting.wake();
      };
      this.#onCurve.add(move);
      await this.pause(leftMs, (wake) => (waiting.wake = wake));
      this.#onCurve.delete(move);
      // Woken by a finish, or because its time has come.
      if (!waiting.moved) return;
    }
  }

  /** Calls back at the end of a span of the curve, however much of it is passed over; gives what calls it off. */
  atEnd(curveSeconds: number, call: () => void): () => void {
    let timer: NodeJS.Timeout;
    const arm = () => {
      clearTimeout(timer);
      timer = setTimeout(call, this.at(curveSeconds) - performance.now());
    };
    this.#onCurve.add(arm);
    arm();
    return () => {
      clearTimeout(timer);
      this.#onCurve.delete(arm);
    };
  }
}
