import type { Line } from '@sturdy/core';

/**
 * The line of one virtual user: its connections share the bandwidth, bytes pass one after the other, and everything that goes there and back
 * takes the latency once.
 */
export class UserLine {
  #upFreeMs = 0;
  #downFreeMs = 0;

  constructor(readonly line: Line) {}

  /** ms until a request of so many bytes has arrived and its answer could be back; a new connection goes there and back before, with TLS twice. */
  sending(bytes: number, connection: 'kept' | 'new' | 'new with TLS', nowMs: number): number {
    const { latencyMs, upKbps } = this.line;
    const trips = { kept: 1, new: 2, 'new with TLS': 3 }[connection];
    this.#upFreeMs = Math.max(nowMs, this.#upFreeMs) + transferMs(bytes, upKbps);
    return this.#upFreeMs - nowMs + trips * latencyMs;
  }

  /** ms until so many bytes that are there have come through. */
  receiving(bytes: number, nowMs: number): number {
    this.#downFreeMs = Math.max(nowMs, this.#downFreeMs) + transferMs(bytes, this.line.downKbps);
    return this.#downFreeMs - nowMs;
  }
}

/** One kbit/s is 1000 bits a second, so a byte takes 8 / kbps ms. */
const transferMs = (bytes: number, kbps: number | null): number => (kbps === null ? 0 : (bytes * 8) / kbps);
