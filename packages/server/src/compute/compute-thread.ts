import { Problem } from '../problem/problem.js';
import { WorkerCalls } from '../threads/worker-calls.js';

/** How far a call may go. */
export interface CallLimits {
  /** How long it may take, in ms, once it has begun. */
  limitMs: number;
  /** Aborted where nobody waits for the answer any more. */
  signal?: AbortSignal | undefined;
  /** So long, in ms, it may go on once it has begun, although nobody waits for it; 0 where it is left out. A thread is dear to begin anew. */
  graceMs?: number;
}

interface Job extends CallLimits {
  method: string;
  args: unknown[];
  done: (value: unknown) => void;
  failed: (error: Error) => void;
}

const leftAlone = (): Error =>
  new Problem(499, 'Nobody waits for it', 'The request was broken off, so what it asked for was not computed.');

/**
 * A thread that computes one thing after the other. What takes too long, or what nobody waits for any more, is ended with its thread; what waits
 * behind it is done by the next one.
 */
export class ComputeThread {
  #calls: Promise<WorkerCalls>;
  readonly #queue: Job[] = [];
  #running: Job | null = null;
  #beganMs = 0;
  #isClosed = false;

  constructor(readonly file: URL) {
    this.#calls = this.#start();
  }

  /** Resolves once the thread can be asked; rejects with why it cannot. */
  async ready(): Promise<void> {
    await this.#calls;
  }

  call(method: string, args: unknown[], limits: CallLimits): Promise<unknown> {
    return new Promise((done, failed) => {
      if (limits.signal?.aborted) {
        failed(leftAlone());
        return;
      }
      const job: Job = { method, args, done, failed, ...limits };
      limits.signal?.addEventListener('abort', () => {
        this.#leave(job);
      });
      this.#queue.push(job);
      void this.#next();
    });
  }

  async close(): Promise<void> {
    this.#isClosed = true;
    const calls = await this.#calls.catch(() => null);
    await calls?.worker.terminate();
  }

  #start(): Promise<WorkerCalls> {
    const starting = WorkerCalls.start(this.file, {});
    // Who asks hears why there is none.
    starting.catch(() => undefined);
    return starting;
  }

  async #next(): Promise<void> {
    if (this.#running) return;
    const job = this.#queue.shift();
    if (!job) return;
    this.#running = job;
    this.#beganMs = performance.now();
    const settle = (act: () => void): void => {
      clearTimeout(timer);
      if (this.#running !== job) return;
      this.#running = null;
      act();
      void this.#next();
    };
    let timer: NodeJS.Timeout | undefined;
    let calls: WorkerCalls | null = null;
    try {
      calls = await this.#calls;
      // It may have been left while the thread started.
      if (this.#running !== job) return;
      timer = setTimeout(() => {
        this.#end(job, tooLong(job.limitMs));
      }, job.limitMs);
      const value = await calls.call(job.method, job.args);
      settle(() => {
        job.done(value);
      });
    } catch (error) {
      // A thread that ended by itself, for want of memory say, or never began, is replaced for what comes next.
      if (this.#running === job && !this.#isClosed && calls?.hasEnded !== false) this.#calls = this.#start();
      settle(() => {
        job.failed(error instanceof Error ? error : new Error(String(error)));
      });
    }
  }

  /** Ends the thread with what it does, and goes on with a new one. */
  #end(job: Job, error: Error): void {
    if (this.#running !== job) return;
    this.#running = null;
    const ended = this.#calls;
    if (!this.#isClosed) this.#calls = this.#start();
    void ended.then(
      (calls) => calls.worker.terminate(),
      () => undefined,
    );
    job.failed(error);
    void this.#next();
  }

  #leave(job: Job): void {
    const at = this.#queue.indexOf(job);
    if (at >= 0) {
      this.#queue.splice(at, 1);
      job.failed(leftAlone());
      return;
    }
    const graceMs = Math.max(0, (job.graceMs ?? 0) - (performance.now() - this.#beganMs));
    if (graceMs === 0) this.#end(job, leftAlone());
    else
      setTimeout(() => {
        this.#end(job, leftAlone());
      }, graceMs).unref();
  }
}

const tooLong = (limitMs: number): Problem =>
  new Problem(
    422,
    'It takes too long',
    `This was not computed within ${Math.round(limitMs / 1000)} s and was ended. Nothing was changed. Ask for less at a time, or use a simpler expression.`,
  );
