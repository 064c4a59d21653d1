import { Worker } from 'node:worker_threads';
import type { ParquetDone, ParquetWork } from './parquet.worker.js';

/** Five million samples take about a minute on a small machine; a file that was made to hold the thread for ever is given up, in ms. */
const limitMs = 10 * 60_000;
const mostMemoryMb = 1536;
/** Columns live for a moment only: with more room for young objects the thread would only clear up later. */
const youngMemoryMb = 8;

/** Turns samples into Parquet, or Parquet into samples, in a thread of its own. Resolves with whether a file was written; rejects with why it could not be. */
export async function inParquetThread(file: URL, work: ParquetWork): Promise<boolean> {
  const thread = new Worker(file, {
    workerData: work,
    resourceLimits: { maxOldGenerationSizeMb: mostMemoryMb, maxYoungGenerationSizeMb: youngMemoryMb },
  });
  const limit = setTimeout(() => void thread.terminate(), limitMs);
  const done = await new Promise<ParquetDone>((answered, failed) => {
    thread.on('message', answered);
    thread.on('error', failed);
    thread.on('exit', () => {
      failed(new Error('The thread that turns samples into Parquet ended too early.'));
    });
  }).finally(() => {
    clearTimeout(limit);
  });
  if ('failed' in done) throw new Error(done.failed);
  return done.wrote;
}
