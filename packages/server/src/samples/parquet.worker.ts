import { parentPort, workerData } from 'node:worker_threads';
import { readParquet, writeParquet } from './parquet.js';

/** What the thread is started for: samples into Parquet, or out of it. It ends when that is done. */
export interface ParquetWork {
  kind: 'write' | 'read';
  samplesPath: string;
  parquetPath: string;
}
export type ParquetDone = { wrote: boolean } | { failed: string };

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');
const { kind, samplesPath, parquetPath } = workerData as ParquetWork;
const say = (done: ParquetDone): void => {
  port.postMessage(done);
};
try {
  if (kind === 'write') say({ wrote: await writeParquet(samplesPath, parquetPath) });
  else {
    await readParquet(parquetPath, samplesPath);
    say({ wrote: true });
  }
} catch (error) {
  say({ failed: error instanceof Error ? error.message : String(error) });
}
