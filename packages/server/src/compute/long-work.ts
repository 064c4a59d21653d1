import type { Correlated } from '@sturdy/core';
import { Problem } from '../problem/problem.js';
import { WorkerCalls } from '../threads/worker-calls.js';
import type { tasks } from './tasks.js';

/** What correlating takes, in order. */
export type CorrelateArguments = Parameters<typeof tasks.correlate>;

/** A piece of work under way; it has no thread yet while what it needs is loaded. */
interface Piece {
  calls: WorkerCalls | null;
  cancel: AbortController;
}

const cancelled = (): Problem => new Problem(409, 'Cancelled', 'Correlating was cancelled. The script is as it was.');

/** Work that may take long and be given up: each piece has a thread to itself, which is stopped where the work is cancelled. */
export class LongWork {
  /** What is under way by its key, from the moment it is asked for; what is cancelled is taken out at once. */
  readonly #running = new Map<string, Piece>();
  /** A thread that waits for work; to start one takes about as long as a small take takes to be correlated. */
  #idle: Promise<WorkerCalls> | null = null;

  constructor(readonly file: URL) {}

  /** Has a thread made ready for the first piece of work; nobody waits for it. */
  warmUp(): void {
    this.#idle ??= WorkerCalls.start(this.file, {}).then(async (calls) => {
      await calls.call('prepareToCorrelate', []);
      return calls;
    });
    // Who takes the thread hears why there is none.
    this.#idle.catch(() => undefined);
  }

  /**
   * Correlates what `load` gives; `key` names the work so that it can be cancelled, while it is loaded too. Throws a problem where it
   * was, or is under way already.
   */
  async correlate(
    key: string,
    load: () => Promise<CorrelateArguments>,
    progress: (done: number, total: number) => void,
  ): Promise<Correlated> {
    if (this.#running.has(key))
      throw new Problem(409, 'It is being correlated', 'This script is being correlated already. Wait for that, or cancel it.');
    const piece: Piece = { calls: null, cancel: new AbortController() };
    this.#running.set(key, piece);
    const givenUp = new Promise<never>((_, reject) => {
      piece.cancel.signal.addEventListener('abort', () => {
        reject(cancelled());
      });
    });
    try {
      // Who cancels does not wait until everything has been loaded.
      return await Promise.race([this.#work(piece, load, progress), givenUp]);
    } finally {
      if (this.#running.get(key) === piece) this.#running.delete(key);
    }
  }

  async #work(piece: Piece, load: () => Promise<CorrelateArguments>, progress: (done: number, total: number) => void): Promise<Correlated> {
    const { signal } = piece.cancel;
    const isCancelled = (): boolean => signal.aborted;
    const args = await load();
    if (isCancelled()) throw cancelled();
    const waiting = this.#idle;
    this.#idle = null;
    const calls = await (waiting ?? WorkerCalls.start(this.file, {}));
    piece.calls = calls;
    try {
      // Who cancels while the thread starts finds none to stop.
      if (isCancelled()) throw cancelled();
      const correlated = (await calls.call('correlate', args, progress)) as Correlated;
      await this.#keep(calls);
      return correlated;
    } catch (error) {
      await calls.worker.terminate();
      throw error;
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
    piece.cancel.abort();
    void piece.calls?.worker.terminate();
    return true;
  }

  async close(): Promise<void> {
    const idle = await this.#idle;
    await Promise.all([idle?.worker.terminate(), ...[...this.#running.values()].map(({ calls }) => calls?.worker.terminate())]);
  }
}
