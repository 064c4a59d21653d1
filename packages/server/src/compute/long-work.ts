import type { Correlated } from '@sturdy/core';
import { Problem } from '../problem.js';
import { WorkerCalls } from '../worker-calls.js';
import type { tasks } from './tasks.js';

/** Work that may take long and be given up: each piece runs in a thread of its own, which ends with it. */
export class LongWork {
  readonly #running = new Map<string, { calls: WorkerCalls; cancelled: boolean }>();

  constructor(readonly file: URL) {}

  /** Correlates; `key` names the work so that it can be cancelled. Throws a problem where it was, or is under way already. */
  async correlate(key: string, args: Parameters<typeof tasks.correlate>, told: (done: number, total: number) => void): Promise<Correlated> {
    if (this.#running.has(key))
      throw new Problem(409, 'It is being correlated', 'This script is being correlated already. Wait for that, or cancel it.');
    const calls = await WorkerCalls.start(this.file, {});
    const own = { calls, cancelled: false };
    this.#running.set(key, own);
    try {
      return (await calls.call('correlate', args, told)) as Correlated;
    } catch (error) {
      if (own.cancelled) throw new Problem(409, 'Cancelled', 'Correlating was cancelled. The script is as it was.');
      throw error;
    } finally {
      this.#running.delete(key);
      await calls.worker.terminate();
    }
  }

  /** Gives the work up; false where none is under way. */
  cancel(key: string): boolean {
    const own = this.#running.get(key);
    if (!own) return false;
    own.cancelled = true;
    void own.calls.worker.terminate();
    return true;
  }

  async close(): Promise<void> {
    await Promise.all([...this.#running.values()].map(({ calls }) => calls.worker.terminate()));
  }
}
