import type { Correlated } from '@sturdy/core';
import { Problem } from '../problem.js';
import { WorkerCalls } from '../worker-calls.js';
import type { tasks } from './tasks.js';

/** Work that may take long and be given up: each piece has a thread to itself, which is stopped where the work is cancelled. */
export class LongWork {
  /** What is under way by its key; what is cancelled is taken out at once. */
  readonly #running = new Map<string, WorkerCalls>();
  /** A thread that waits for work; to start one takes about as long as a small take takes to be correlated. */
  #idle: Promise<WorkerCalls> | null = null;

  constructor(readonly file: URL) {}

  /** Has a thread ready for the first piece of work. */
  async warmUp(): Promise<void> {
    this.#idle ??= WorkerCalls.start(this.file, {});
    await this.#idle;
  }

  /** Correlates; `key` names the work so that it can be cancelled. Throws a problem where it was, or is under way already. */
  async correlate(key: string, args: Parameters<typeof tasks.correlate>, told: (done: number, total: number) => void): Promise<Correlated> {
    if (this.#running.has(key))
      throw new Problem(409, 'It is being correlated', 'This script is being correlated already. Wait for that, or cancel it.');
    const waiting = this.#idle;
    this.#idle = null;
    const calls = await (waiting ?? WorkerCalls.start(this.file, {}));
    this.#running.set(key, calls);
    try {
      return (await calls.call('correlate', args, told)) as Correlated;
    } catch (error) {
      if (this.#running.get(key) !== calls) throw new Problem(409, 'Cancelled', 'Correlating was cancelled. The script is as it was.');
      throw error;
    } finally {
      const cancelled = this.#running.get(key) !== calls;
      if (!cancelled) this.#running.delete(key);
      if (cancelled) await calls.worker.terminate();
      else await this.#keep(calls);
    }
  }

  /** One thread waits for the next piece of work, no more. */
  async #keep(calls: WorkerCalls): Promise<void> {
    if (this.#idle) await calls.worker.terminate();
    else this.#idle = Promise.resolve(calls);
  }

  /** Gives the work up; false where none is under way. */
  cancel(key: string): boolean {
    const calls = this.#running.get(key);
    if (!calls) return false;
    this.#running.delete(key);
    void calls.worker.terminate();
    return true;
  }

  async close(): Promise<void> {
    const idle = await this.#idle;
    await Promise.all([idle?.worker.terminate(), ...[...this.#running.values()].map((calls) => calls.worker.terminate())]);
  }
}
