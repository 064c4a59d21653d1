import type { ActionRules } from './rules.js';

/**
 * Ceilings on requests a second that were set where targets were cleared. All virtual users of a generator share them; where a run has several
 * generators, each has its part, so that the whole run stays below. Who comes too soon waits for its turn.
 */
export class Ceilings {
  /** When the next request to an origin may go, in ms of `performance.now()`. */
  readonly #nextMs = new Map<string, number>();
  readonly #heldBack = new Map<string, number>();

  constructor(
    /** How many generators share the ceilings. */
    readonly generators = 1,
  ) {}

  /** Takes the next turn for a request to an origin; ms to wait for it. */
  turnInMs(rules: Pick<ActionRules, 'cleared'>, origin: string, nowMs: number): number {
    const perSecond = rules.cleared[origin]?.requestsPerSecond ?? null;
    if (perSecond === null) return 0;
    const turnMs = Math.max(nowMs, this.#nextMs.get(origin) ?? 0);
    this.#nextMs.set(origin, turnMs + (1000 * this.generators) / perSecond);
    if (turnMs > nowMs) this.#heldBack.set(origin, (this.#heldBack.get(origin) ?? 0) + 1);
    return turnMs - nowMs;
  }

  /** How many requests waited since the last time, by origin. */
  takeHeldBack(): { origin: string; count: number }[] {
    const taken = [...this.#heldBack].map(([origin, count]) => ({ origin, count }));
    this.#heldBack.clear();
    return taken;
  }
}
