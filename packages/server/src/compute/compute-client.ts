import { AsyncLocalStorage } from 'node:async_hooks';
import { ComputeThread } from './compute-thread.js';
import type { Compute } from './tasks.js';

/** Aborted where the one who asked the API has gone; undefined outside of a request. */
export const askersLeave = new AsyncLocalStorage<AbortSignal>();

/**
 * What is computed for somebody who looks at a screen: it is given up when they leave, and has to be there soon. It has a thread to itself, so
 * that an expression that takes for ever holds up other expressions only.
 */
const forScreens: ReadonlySet<string> = new Set<keyof Compute>([
  'previewPattern',
  'openSources',
  'sources',
  'withSource',
  'openWorkbench',
  'tryExtractor',
  'proposals',
  'suggestChecks',
  'tryCheck',
  'tryCode',
  'compareWithTake',
  'compareRehearsals',
  'heldBy',
  'search',
  'beside',
  'patternProblem',
  'readPatterns',
  'readScript',
]);
/** Figures of runs take their time, and are given up when the one who looked at them leaves. */
const forReaders: ReadonlySet<string> = new Set<keyof Compute>([
  'lanes',
  'runTable',
  'samples',
  'series',
  'catalogue',
  'sampledUsers',
  'typedTexts',
  'findings',
  'compareRuns',
  'compareCrews',
  'trend',
  'reportDocument',
]);
/** A screen that looks again each second leaves what it asked before; what takes no longer than this is computed all the same. */
const readerGraceMs = 5000;
const screenLimitMs = 30_000;
/** Runs, rehearsals and files are judged and written to the end, whoever looks; a large take may need its time. */
const workLimitMs = 300_000;

export interface ComputeLimits {
  screenMs: number;
  workMs: number;
}

/** Starts the threads for heavy computation. */
export async function startCompute(
  file: URL,
  limits: ComputeLimits = { screenMs: screenLimitMs, workMs: workLimitMs },
): Promise<{ compute: Compute; close: () => Promise<unknown> }> {
  const [screens, work] = [new ComputeThread(file), new ComputeThread(file)];
  await Promise.all([screens.ready(), work.ready()]);
  const call = (method: string, args: unknown[]): Promise<unknown> =>
    forScreens.has(method)
      ? screens.call(method, args, { limitMs: limits.screenMs, signal: askersLeave.getStore() })
      : work.call(method, args, {
          limitMs: limits.workMs,
          graceMs: readerGraceMs,
          signal: forReaders.has(method) ? askersLeave.getStore() : undefined,
        });
  const compute = new Proxy({} as Compute, {
    get: (_, method) => (typeof method === 'string' && method !== 'then' ? (...args: unknown[]) => call(method, args) : undefined),
  });
  return { compute, close: () => Promise.all([screens.close(), work.close()]) };
}
