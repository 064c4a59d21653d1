import type { Distribution } from './settings.js';

interface Waiting {
  start: () => void;
}

/**
 * A queue with c workers: a request holds one worker for its service time, the others wait in arrival order.
 * The figures that Yard shows follow from this queue, nothing else is made up.
 */
export class ServiceQueue {
  #busy = 0;
  #waiting: Waiting[] = [];
  #busySeconds = 0;
  #served = 0;
  #lockHeld = false;
  #lockWaiting: (() => void)[] = [];
  #lockWaitSeconds = 0;

  constructor(
    readonly options: {
      workers: number;
      serviceMeanMs: number;
      serviceDistribution: Distribution;
      random: () => number;
    },
  ) {}

  get busy(): number {
    return this.#busy;
  }
  get queued(): number {
    return this.#waiting.length;
  }
  /** Worker seconds spent so far. */
  get busySeconds(): number {
    return this.#busySeconds;
  }
  get served(): number {
    return this.#served;
  }
  /** Seconds that requests waited for the allocation lock so far. */
  get lockWaitSeconds(): number {
    return this.#lockWaitSeconds;
  }

  /** Waits for a worker, holds it for a drawn service time, then gives it back. Resolves with the ms of both. */
  async serve(): Promise<{ waitedMs: number; servedMs: number }> {
    const arrived = performance.now();
    if (this.#busy >= this.options.workers) await new Promise<void>((start) => this.#waiting.push({ start }));
    else this.#busy++;
    const started = performance.now();
    await pause(this.#drawMs());
    const servedMs = performance.now() - started;
    this.#busySeconds += servedMs / 1000;
    this.#served++;
    const next = this.#waiting.shift();
    if (next) next.start();
    else this.#busy--;
    return { waitedMs: started - arrived, servedMs };
  }

  /** Runs `work` alone: one caller at a time, in arrival order. */
  async withLock<T>(work: () => Promise<T> | T): Promise<T> {
    const asked = performance.now();
    if (this.#lockHeld) await new Promise<void>((go) => this.#lockWaiting.push(go));
    this.#lockHeld = true;
    this.#lockWaitSeconds += (performance.now() - asked) / 1000;
    try {
      return await work();
    } finally {
      this.#lockHeld = false;
      this.#lockWaiting.shift()?.();
    }
  }

  #drawMs(): number {
    const { serviceMeanMs, serviceDistribution, random } = this.options;
    if (serviceDistribution === 'fixed') return serviceMeanMs;
    const exponential = (mean: number) => -Math.log(1 - random()) * mean;
    if (serviceDistribution === 'exponential') return exponential(serviceMeanMs);
    return exponential(serviceMeanMs / 2) + exponential(serviceMeanMs / 2);
  }
}

/** Waits for `ms`; timers round up to whole ms, so the last fraction is made good by carrying the error along. */
let carriedMs = 0;
function pause(ms: number): Promise<void> {
  // The error is taken by one timer only: several that run at the same time would each make it good, and so overshoot.
  const wanted = ms + carriedMs;
  carriedMs = 0;
  const started = performance.now();
  return new Promise((done) =>
    setTimeout(
      () => {
        // What this timer overslept is taken off the next ones, so that the mean service time is what the settings say.
        carriedMs = Math.max(-20, Math.min(20, carriedMs + wanted - (performance.now() - started)));
        done();
      },
      Math.max(0, Math.round(wanted)),
    ),
  );
}
