import { Worker } from 'node:worker_threads';

interface Answer {
  id?: number;
  result?: unknown;
  error?: string;
  /** What kind of error it is, where that matters. */
  name?: string;
  /** Something that the worker says without being asked. */
  news?: unknown;
  /** How much of the work is done; an answer follows. */
  progress?: { done: number; total: number };
  ready?: boolean;
  failed?: string;
}

/** Calls into a worker thread that answers `{ id, method, args }` with `{ id, result }` or `{ id, error }`. */
export class WorkerCalls {
  readonly #waiting = new Map<
    number,
    { done: (value: unknown) => void; failed: (error: Error) => void; onProgress?: ((done: number, total: number) => void) | undefined }
  >();
  #next = 0;
  /** Why no call can be answered any more; null while the worker lives. */
  #ended: Error | null = null;

  private constructor(
    readonly worker: Worker,
    readonly heard: (news: unknown) => void,
  ) {}

  /**
   * Starts the worker and resolves once it is ready; rejects with its own message where it cannot start. `heard` gets what it says without
   * being asked.
   */
  static start(file: URL, workerData: unknown, heard: (news: unknown) => void = () => undefined): Promise<WorkerCalls> {
    const worker = new Worker(file, { workerData });
    const calls = new WorkerCalls(worker, heard);
    return new Promise((done, failed) => {
      worker.on('message', (answer: Answer) => {
        if (answer.ready) done(calls);
        else if (answer.failed !== undefined) failed(new Error(answer.failed));
        else if (answer.news !== undefined) calls.heard(answer.news);
        else calls.#answer(answer);
      });
      worker.on('error', (error) => {
        failed(error);
        calls.#failAll(error);
      });
      worker.on('exit', () => {
        const ended = new Error('The worker thread has ended.');
        // It may end before it is ready.
        failed(ended);
        calls.#failAll(ended);
      });
    });
  }

  /** True once no call can be answered any more. */
  get hasEnded(): boolean {
    return this.#ended !== null;
  }

  /** `onProgress` hears of the progress of work that tells of it; `more` goes to the worker with the call. */
  call(method: string, args: unknown[], progress?: (done: number, total: number) => void, more: object = {}): Promise<unknown> {
    if (this.#ended) return Promise.reject(this.#ended);
    const id = ++this.#next;
    return new Promise((done, failed) => {
      this.#waiting.set(id, { done, failed, onProgress: progress });
      this.worker.postMessage({ id, method, args, ...more });
    });
  }

  #answer({ id, result, error, name, progress }: Answer): void {
    const waiting = this.#waiting.get(id ?? -1);
    if (progress) {
      waiting?.onProgress?.(progress.done, progress.total);
      return;
    }
    this.#waiting.delete(id ?? -1);
    if (error === undefined) waiting?.done(result);
    else waiting?.failed(Object.assign(new Error(error), name === undefined ? {} : { name }));
  }

  #failAll(error: Error): void {
    this.#ended ??= error;
    for (const { failed } of this.#waiting.values()) failed(error);
    this.#waiting.clear();
  }
}
