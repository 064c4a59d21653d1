import { Worker } from 'node:worker_threads';
import type { BodyRef, CapturedStep, Environment, Script } from '@sturdy/core';
import { CompileError } from '../contract/compile-context.js';
import { rehearsalWorkerFile } from '../worker-file.js';
import type { RehearsalCapture } from './rehearse.js';
import type { Row } from './virtual-user.js';

/** What a rehearsal needs to know before it starts. */
interface RehearsalPlan {
  script: Script;
  environment: Environment;
  /** Rows of the tables that a loop goes through, where each round is not dealt a row of its own. */
  listed: ReadonlyMap<string, readonly Row[]>;
  /** Tables of which each request that sends something of them gets a new row. */
  dealtPerUse: ReadonlySet<string>;
  /** Bodies that are sent as they are, by their hash. */
  files: ReadonlyMap<string, Uint8Array>;
}

export type ToRehearsal = { kind: 'play'; plan: RehearsalPlan } | { kind: 'answer'; id: number; value: unknown } | { kind: 'ping' };

export type FromRehearsal =
  | ({ kind: 'ask'; id: number } & ({ deal: string } | { gate: string }))
  | ({ kind: 'news' } & Omit<RehearsalCapture, 'endedBefore'>)
  | { kind: 'body'; bytes: Uint8Array; mimeType: string }
  | { kind: 'ended'; endedBefore?: string }
  | { kind: 'failed'; message: string; isCompileError: boolean }
  | { kind: 'alive' };

export interface ThreadedRehearsal extends RehearsalPlan {
  /** Deals the next row of a table; null where there is none left. */
  deal: (table: string) => Promise<Row | null>;
  /** Stores a body. */
  put: (bytes: Uint8Array, mimeType: string) => BodyRef;
  /** Hears of each step as it ends. */
  onStep: (step: CapturedStep) => void;
  /** Asked before each step, with what was captured so far; `end` leaves out this step and all after it. */
  gate: (step: string, soFar: RehearsalCapture) => Promise<'go' | 'end'>;
}

/** A rehearsal whose virtual user stood still, so that it was ended by force; the message says after which step. */
export class StoodStill extends Error {
  constructor(
    /** The step that had ended last; null where none had. */
    readonly after: string | null,
    readonly seconds: number,
  ) {
    super(`The user that plays the script stood still for ${seconds} s.`);
  }
}

/** A virtual user that does not answer for so long is ended. */
const longestStillMs = 10_000;
const pingEveryMs = 1_000;
const longestStartMs = 60_000;

/**
 * Plays rehearsals in threads of their own, so that whatever an answer does to extractors, checks and conditions holds up nothing else; a
 * virtual user that stands still is ended.
 */
export class RehearsalThreads {
  /** A thread that waits for the next rehearsal: to start one takes about as long as a short rehearsal. */
  #idle: Worker | null = null;
  readonly #busy = new Set<Worker>();
  #isClosed = false;

  constructor(
    readonly file: URL = rehearsalWorkerFile,
    readonly stillMs = longestStillMs,
  ) {}

  /** Has a thread made ready for the first rehearsal. */
  warmUp(): void {
    if (this.#idle === null && this.#busy.size === 0) this.#keep(new Worker(this.file));
  }

  /**
   * Plays a script once with everything captured. Throws `CompileError` where it cannot be played, `StoodStill` where its user was ended, and
   * what `deal` and `gate` throw.
   */
  async rehearse(options: ThreadedRehearsal): Promise<RehearsalCapture> {
    const worker = this.#idle ?? new Worker(this.file);
    this.#idle = null;
    silence(worker);
    this.#busy.add(worker);
    worker.ref();
    try {
      const capture = await playIn(worker, options, this.stillMs);
      this.#keep(worker);
      return capture;
    } catch (error) {
      // What a thread says while it is ended is of no interest any more.
      silence(worker).on('error', () => undefined);
      void worker.terminate();
      throw error;
    } finally {
      this.#busy.delete(worker);
    }
  }

  /** One thread waits for the next rehearsal, no more. */
  #keep(worker: Worker): void {
    const gone = (): void => {
      if (this.#idle === worker) this.#idle = null;
    };
    silence(worker).on('error', gone).on('exit', gone);
    if (this.#idle || this.#isClosed) void worker.terminate();
    else {
      this.#idle = worker;
      worker.unref();
    }
  }

  async close(): Promise<void> {
    this.#isClosed = true;
    await Promise.all([...(this.#idle ? [this.#idle] : []), ...this.#busy].map((worker) => worker.terminate()));
  }
}

/** Takes away what listens to a thread, but for what belongs to the thread itself: without that it would hear nothing any more. */
function silence(worker: Worker): Worker {
  for (const event of ['message', 'error', 'exit']) worker.removeAllListeners(event);
  return worker;
}

function playIn(worker: Worker, options: ThreadedRehearsal, stillMs: number): Promise<RehearsalCapture> {
  const { deal, put, onStep, gate, ...plan } = options;
  const soFar: RehearsalCapture = { steps: [], missing: [], notes: [], skipped: [] };
  return new Promise((done, failed) => {
    let heardMs = performance.now();
    let lookedMs = heardMs;
    // A busy machine takes its time to start a thread.
    let longestMs = stillMs + longestStartMs;
    const watch = setInterval(() => {
      const nowMs = performance.now();
      // Where this thread itself was held up, the other one could not be heard.
      if (nowMs - lookedMs > 2 * pingEveryMs) heardMs = nowMs;
      lookedMs = nowMs;
      if (nowMs - heardMs > longestMs) end(() => failed(new StoodStill(soFar.steps.at(-1)?.step ?? null, Math.round(stillMs / 1000))));
      else worker.postMessage({ kind: 'ping' } satisfies ToRehearsal);
    }, pingEveryMs);
    const end = (settle: () => void): void => {
      clearInterval(watch);
      settle();
    };
    const answer = (id: number, asked: Promise<unknown>): void => {
      asked.then(
        (value) => {
          worker.postMessage({ kind: 'answer', id, value } satisfies ToRehearsal);
        },
        (error: unknown) => {
          // The thread is ended with the rehearsal, so the user need not hear of it.
          end(() => failed(error instanceof Error ? error : new Error(String(error))));
        },
      );
    };
    worker.on('message', (message: FromRehearsal) => {
      heardMs = performance.now();
      longestMs = stillMs;
      switch (message.kind) {
        case 'ask':
          answer(message.id, 'deal' in message ? deal(message.deal) : gate(message.gate, soFar));
          break;
        case 'news':
          soFar.steps.push(...message.steps);
          soFar.missing.push(...message.missing);
          soFar.notes.push(...message.notes);
          soFar.skipped.push(...message.skipped);
          message.steps.forEach(onStep);
          break;
        case 'body':
          put(message.bytes, message.mimeType);
          break;
        case 'ended':
          end(() => done(message.endedBefore === undefined ? soFar : { ...soFar, endedBefore: message.endedBefore }));
          break;
        case 'failed':
          end(() => failed(message.isCompileError ? new CompileError(message.message) : new Error(message.message)));
          break;
        case 'alive':
          break;
      }
    });
    worker.on('error', (error) => {
      end(() => failed(error));
    });
    worker.on('exit', () => {
      end(() => failed(new Error('The thread of the rehearsal has ended.')));
    });
    worker.postMessage({ kind: 'play', plan } satisfies ToRehearsal);
  });
}
