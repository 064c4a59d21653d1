import { Worker } from 'node:worker_threads';
import { sandboxWorkerFile } from '../worker-file.js';
import { CodeError, type CodeInput, type CodeOutput } from './sandbox.js';

export interface CodeLimits {
  timeMs: number;
  memoryMb: number;
}
export interface CodeCall {
  source: string;
  input: CodeInput;
  limits: CodeLimits;
}
export type CodeAnswer =
  { kind: 'ready' } | { kind: 'output'; output: CodeOutput } | { kind: 'failed'; message: string; line: number | null };

interface WaitingCall extends CodeCall {
  done: (output: CodeOutput) => void;
  failed: (error: Error) => void;
}

/** Code that does not end by itself holds up its thread only; so many others go on meanwhile. */
const mostThreads = 4;
/** Code that has waited so long for a thread gets one more. */
const longestWaitMs = 50;
/** How long after its time code may still end by itself: the interpreter looks at the clock between two instructions of the code. */
const graceMs = 250;

/** A thread with a sandbox; it runs one piece of code at a time. */
class CodeThread {
  readonly #worker: Worker;
  #running: WaitingCall | null = null;
  #timer: NodeJS.Timeout | undefined;
  #isReady = false;

  constructor(
    file: URL,
    readonly onFree: (thread: CodeThread) => void,
    readonly onEnd: (thread: CodeThread) => void,
  ) {
    this.#worker = new Worker(file);
    this.#worker.on('message', (answer: CodeAnswer) => {
      this.#hear(answer);
    });
    this.#worker.on('error', (error) => {
      this.#end(new CodeError(`The thread that ran it failed: ${error.message}`, null));
    });
    this.#worker.on('exit', () => {
      this.#end(new CodeError('The thread that ran it has ended.', null));
    });
  }

  /** The process need not wait for a thread that has nothing to do. */
  rest(): void {
    this.#worker.unref();
  }

  run(call: WaitingCall): void {
    this.#worker.ref();
    this.#running = call;
    if (this.#isReady) this.#send(call);
  }

  async terminate(): Promise<void> {
    clearTimeout(this.#timer);
    await this.#worker.terminate();
  }

  #send({ source, input, limits }: WaitingCall): void {
    this.#timer = setTimeout(() => {
      // Where this thread itself was held up, the answer may be there already.
      setImmediate(() => {
        this.#overtime(limits);
      });
    }, limits.timeMs + graceMs);
    this.#worker.postMessage({ source, input, limits } satisfies CodeCall);
  }

  #overtime({ timeMs }: CodeLimits): void {
    if (!this.#running) return;
    this.#end(
      new CodeError(
        `It ran longer than the ${timeMs} ms that it may and did not stop by itself, so it was ended by force. Look for a single call that does very much, such as a search in a long text.`,
        null,
      ),
    );
    void this.#worker.terminate();
  }

  #hear(answer: CodeAnswer): void {
    if (answer.kind === 'ready') {
      this.#isReady = true;
      if (this.#running) this.#send(this.#running);
      return;
    }
    const call = this.#running;
    if (!call) return;
    clearTimeout(this.#timer);
    this.#running = null;
    if (answer.kind === 'output') call.done(answer.output);
    else call.failed(new CodeError(answer.message, answer.line));
    this.onFree(this);
  }

  #end(error: CodeError): void {
    clearTimeout(this.#timer);
    const call = this.#running;
    this.#running = null;
    this.onEnd(this);
    call?.failed(error);
  }
}

/**
 * Runs the code of code steps in threads of their own, watched from outside: code that its sandbox cannot stop, because one call of its keeps
 * the interpreter busy, is ended with its thread, and nothing else waits for it.
 */
export class CodeThreads {
  readonly #threads = new Set<CodeThread>();
  readonly #free: CodeThread[] = [];
  readonly #waiting: WaitingCall[] = [];

  constructor(
    readonly file: URL = sandboxWorkerFile,
    readonly most = mostThreads,
  ) {}

  /** Has a thread made ready, so that the first code need not wait for it. */
  warmUp(): void {
    if (this.#threads.size === 0) this.#start().rest();
  }

  /** Throws `CodeError` where the code fails, runs too long or wants too much memory. */
  run(source: string, input: CodeInput, limits: CodeLimits): Promise<CodeOutput> {
    return new Promise((done, failed) => {
      const call: WaitingCall = { source, input, limits, done, failed };
      const thread = this.#free.pop();
      if (thread) thread.run(call);
      else {
        this.#waiting.push(call);
        if (this.#threads.size === 0) this.#more();
        else
          setTimeout(() => {
            if (this.#waiting.includes(call)) this.#more();
          }, longestWaitMs);
      }
    });
  }

  async close(): Promise<void> {
    await Promise.all([...this.#threads].map((thread) => thread.terminate()));
  }

  /** Starts a thread for what waits, as long as there may be one more. */
  #more(): void {
    if (this.#threads.size >= this.most) return;
    const call = this.#waiting.shift();
    if (call) this.#take(this.#start(), call);
  }

  #take(thread: CodeThread, call: WaitingCall): void {
    const at = this.#free.indexOf(thread);
    if (at >= 0) this.#free.splice(at, 1);
    thread.run(call);
  }

  #start(): CodeThread {
    const thread = new CodeThread(
      this.file,
      (free) => {
        const next = this.#waiting.shift();
        if (next) free.run(next);
        else {
          this.#free.push(free);
          free.rest();
        }
      },
      (ended) => {
        this.#threads.delete(ended);
        const at = this.#free.indexOf(ended);
        if (at >= 0) this.#free.splice(at, 1);
        this.#more();
      },
    );
    this.#threads.add(thread);
    this.#free.push(thread);
    return thread;
  }
}

/** The threads of this process, or of the thread that asks, for code. */
export const codeThreads = new CodeThreads();
