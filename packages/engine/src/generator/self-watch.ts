import { monitorEventLoopDelay, performance } from 'node:perf_hooks';
import type { Frame } from '@sturdy/core';
import { openSockets } from '../net/open-sockets.js';

const resolutionMs = 10;

/** What a generator sees of itself: how late its event loop is, and what its thread takes. */
export class SelfWatch {
  readonly #loop = monitorEventLoopDelay({ resolution: resolutionMs });
  #used = performance.eventLoopUtilization();

  start(): void {
    this.#loop.enable();
    this.#used = performance.eventLoopUtilization();
  }

  stop(): void {
    this.#loop.disable();
  }

  /** The figures since the last time they were taken. */
  take(): Required<Pick<Frame, 'loopDelayMs' | 'own'>> {
    const used = performance.eventLoopUtilization();
    const { utilization } = performance.eventLoopUtilization(used, this.#used);
    this.#used = used;
    const loopDelayMs = Math.max(0, this.#loop.max / 1e6 - resolutionMs);
    this.#loop.reset();
    return {
      loopDelayMs,
      own: {
        busy: Number.isFinite(utilization) ? Math.min(1, Math.max(0, utilization)) : 0,
        heapMb: process.memoryUsage().heapUsed / 1e6,
        sockets: openSockets.count,
      },
    };
  }
}
