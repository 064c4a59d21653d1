import { availableParallelism } from 'node:os';
import { setImmediate } from 'node:timers/promises';
import {
  answerBody,
  AnswerReader,
  Correlation,
  MessageView,
  ResponseView,
  type AnswerText,
  type Correlated,
  type HandoffPattern,
  type Header,
  type LoadedTake,
  type Progress,
  type ReceivedValue,
  type Script,
} from '@sturdy/core';
import { answersWorkerFile } from '../shipped/files.js';
import { WorkerCalls } from '../threads/worker-calls.js';

/** An answer as plain data, for a thread that reads it: a message has a type in the place of status and headers. */
export type PlainAnswer = { body: string } & ({ status: number; headers: readonly Header[] } | { type: string });

const plainAnswer = (answer: AnswerText | undefined): PlainAnswer =>
  answer instanceof ResponseView
    ? { status: answer.status, headers: answer.headers, body: answer.body }
    : { type: answer instanceof MessageView ? answer.type : 'text/plain', body: answer?.body ?? '' };

/** Takes with less text, in characters, are read by one thread: starting another takes longer. */
const leastText = 10_000_000;
/** Judging is done by one thread, so more readers than this gain nothing that is felt. */
const mostHelpers = 3;
/** So much text, in characters, is handed to a thread at a time. */
const textAtOnce = 1_000_000;
/** Portions that wait at a thread, so that it never waits for the next. */
const portionsAhead = 2;

/** Threads that help to read answers. They are kept from one correlation to the next, because to start one takes as long as to read 20 MB. */
export class AnswerHelpers {
  #threads: Promise<WorkerCalls | null>[] = [];

  constructor(
    readonly file: URL,
    /** How many there are at most. */
    readonly most: number,
    /** For less text than this, in characters, none helps. */
    readonly leastText: number,
  ) {}

  /** Starts those that are missing; the process need not wait for them while they have nothing to do. */
  warmUp(): void {
    while (this.#threads.length < this.most) {
      const starting = WorkerCalls.start(this.file, {}).catch(() => null);
      void starting.then((calls) => {
        calls?.worker.unref();
      });
      this.#threads.push(starting);
    }
  }

  /** The helpers for so much text, for `work`; one that has ended is replaced the next time. */
  async with<T>(text: number, work: (threads: readonly Promise<WorkerCalls | null>[]) => Promise<T>): Promise<T> {
    if (text < this.leastText) return work([]);
    this.warmUp();
    const used = this.#threads;
    this.#threads = [];
    try {
      return await work(used);
    } finally {
      for (const helper of used)
        void helper.then((calls) => {
          if (calls === null || calls.hasEnded) return;
          if (this.#threads.length < this.most) this.#threads.push(helper);
          else void calls.worker.terminate();
        });
    }
  }

  async close(): Promise<void> {
    await Promise.all(this.#threads.map(async (thread) => (await thread)?.worker.terminate()));
  }
}

/** As many as there are processors to spare. */
export const answerHelpers = new AnswerHelpers(answersWorkerFile, Math.min(availableParallelism() - 1, mostHelpers), leastText);

/**
 * What `correlate` of the core does, with the answers of a large take read by several threads; the result is the same. `onProgress` hears of
 * it. Throws what `correlate` throws. A helper that ends before its time is done without.
 */
export async function correlateInThreads(
  script: Script,
  take: LoadedTake,
  second: LoadedTake | null,
  patterns: readonly HandoffPattern[],
  onProgress: Progress = () => undefined,
  helpers: AnswerHelpers = answerHelpers,
): Promise<Correlated> {
  const text = take.exchanges.reduce((sum, exchange) => sum + (answerBody(exchange)?.size ?? 0), 0);
  // Those that are missing start while this thread reads the requests.
  return helpers.with(text, async (threads) => {
    const correlation = new Correlation(script, take, second, patterns);
    await readAnswers(correlation, threads, (done, total) => {
      onProgress(done, 2 * total);
    });
    return correlation.judge(onProgress);
  });
}

/** Shares the answers among this thread and its helpers, in portions that whoever is free takes. */
async function readAnswers({ index }: Correlation, starting: readonly Promise<WorkerCalls | null>[], onProgress: Progress): Promise<void> {
  const reader = new AnswerReader(index.wanted);
  const portions = portionsOf(index.answers, (n) => index.view(n)?.body.length ?? 0);
  const left = [...portions];
  const found = new Map<number, readonly ReceivedValue[]>();
  let read = 0;
  const keep = (portion: readonly number[], values: readonly (readonly ReceivedValue[])[]): void => {
    portion.forEach((n, at) => found.set(n, values[at] ?? []));
    read += portion.length;
    onProgress(read, index.answers.length);
  };
  const readHere = (portion: readonly number[]): void => {
    keep(
      portion,
      portion.map((n) => {
        const view = index.view(n);
        return view ? reader.read(view) : [];
      }),
    );
  };
  const askFor = async (calls: WorkerCalls): Promise<void> => {
    for (let portion = left.shift(); portion; portion = left.shift()) {
      const answers = portion.map((n) => plainAnswer(index.view(n)));
      try {
        keep(portion, (await calls.call('read', [answers])) as ReceivedValue[][]);
      } catch {
        left.push(portion);
        return;
      }
    }
  };
  const helping = starting.map(async (start) => {
    const calls = await start;
    if (!calls || left.length === 0) return;
    calls.worker.ref();
    void calls.call('begin', [index.wanted]).catch(() => undefined);
    await Promise.all(Array.from({ length: portionsAhead }, () => askFor(calls)));
    calls.worker.unref();
  });
  const readAll = async (): Promise<void> => {
    for (let portion = left.shift(); portion; portion = left.shift()) {
      readHere(portion);
      // The helpers' answers come in between.
      await setImmediate();
    }
  };
  await readAll();
  await Promise.all(helping);
  // What a helper could not read is read here.
  await readAll();
  for (const n of index.answers) index.addAnswer(n, found.get(n) ?? []);
}

/** Numbers of answers, put together until they hold enough text to be worth handing over. */
function portionsOf(answers: readonly number[], lengthOf: (n: number) => number): number[][] {
  const portions: number[][] = [];
  let length = Infinity;
  for (const n of answers) {
    if (length >= textAtOnce) {
      portions.push([]);
      length = 0;
    }
    portions.at(-1)?.push(n);
    length += lengthOf(n);
  }
  return portions;
}
