/** Time to wait for an acknowledgement before the first one has come, and the shortest and the longest wait, in ms. */
const firstMs = 1000;
/** RFC 6298 asks for a second, which is for networks of the whole world; implementations of TCP wait 200 ms (common practice, no source). */
const leastMs = 200;
const mostMs = 4000;

/** How long a message and its acknowledgement take, smoothed, and how long one is waited for: the way of RFC 6298 (2 and 5). Times in ms. */
export class RoundTrip {
  #smoothed: number | null = null;
  #variation = 0;
  #waitMs = firstMs;

  /** Smoothed round trip; null before the first one was measured. */
  get smoothedMs(): number | null {
    return this.#smoothed;
  }

  /** After this time what was not acknowledged is sent again. */
  get waitMs(): number {
    return this.#waitMs;
  }

  /** Takes in a measured round trip. */
  measured(ms: number): void {
    if (this.#smoothed === null) {
      this.#smoothed = ms;
      this.#variation = ms / 2;
    } else {
      this.#variation = 0.75 * this.#variation + 0.25 * Math.abs(this.#smoothed - ms);
      this.#smoothed = 0.875 * this.#smoothed + 0.125 * ms;
    }
    this.#waitMs = Math.min(mostMs, Math.max(leastMs, this.#smoothed + 4 * this.#variation));
  }

  /** What was waited for did not come: the next wait is twice as long. */
  timedOut(): void {
    this.#waitMs = Math.min(mostMs, 2 * this.#waitMs);
  }
}
