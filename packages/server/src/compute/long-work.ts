import type { Correlated } from '@sturdy/core';
import { Problem } from '../problem.js';
import { WorkerCalls } from '../worker-calls.js';
import type { tasks } from './tasks.js';

/** What correlating takes, in order. */
export type CorrelateArguments = Parameters<typeof tasks.correlate>;

/** A piece of work under way; it has no thread yet while what it needs is loaded. */
interface Piece {
  calls: WorkerCalls | null;
}

/** Work that may take long and be given up: each piece has a thread to itself, which is stopped where the work is cancelled. */
export class LongWork {
  /** What is under way by its key, from the moment it is asked for; what is cancelled is taken out at once. */
  readonly #running = new Map<string, Piece>();
  /** A thread that waits for work; to start one takes about as long as a small take takes to be correlated. */
  #idle: Promise<WorkerCalls> | null = null;

  constructor(readonly file: URL) {}

  /** Has a thread ready for the first piece of work. */
  async warmUp(): Promise<void> {
    this.#idle ??= WorkerCalls.start(this.file, {});
    await this.#idle;
  }

  /**
   * Correlates what `load` gives; `key` names the work so that it can be cancelled, while it is loaded too. Throws a problem where it
   * was, or is under way already.
   */
  async correlate(key: string, load: () => Promise<CorrelateArguments>, told: (done: number, total: number) => void): Promise<Correlated> {
    if (this.#running.has(key))
      throw new Problem(409, 'It is being correlated', 'This script is being correlated already. Wait for that, or cancel it.');
    const own: Piece = { calls: null };
    this.#running.set(key, own);
    const isCancelled = (): boolean => this.#running.get(key) !== own;
    const cancelled = (): Problem => new Problem(409, 'Cancelled', 'Correlating was cancelled. The script is as it was.');
    try {
      const args = await load();
      if (isCancelled()) throw cancelled();
      const waiting = this.#idle;
      this.#idle = null;
      own.calls = await (waiting ?? WorkerCalls.start(this.file, {}));
      if (isCancelled()) throw cancelled();
      return (await own.calls.call('correlate', args, told)) as Correlated;
    } catch (error) {
      throw isCancelled() ? cancelled() : error;
    } finally {
      const gone = isCancelled();
      if (!gone) this.#running.delete(key);
      if (own.calls && gone) await own.calls.worker.terminate();
      else if (own.calls) await this.#keep(own.calls);
    }
  }

  /** One thread waits for the next piece of work, no more. */
  async #keep(calls: WorkerCalls): Promise<void> {
    if (this.#idle) await calls.worker.terminate();
    else this.#idle = Promise.resolve(calls);
  }

  /** Gives the work up; false where none is under way. */
  cancel(key: string): boolean {
    const piece = this.#running.get(key);
    if (!piece) return false;
    this.#running.delete(key);
    void piece.calls?.worker.terminate();
    return true;
  }

  async close(): Promise<void> {
    const idle = await this.#idle;
    await Promise.all([idle?.worker.terminate(), ...[...this.#running.values()].map(({ calls }) => calls?.worker.terminate())]);
  }
}
