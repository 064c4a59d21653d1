import { parentPort, workerData } from 'node:worker_threads';
import type { TableOptions } from '@sturdy/core';
import { readTableFile, type ReadTable } from './read-table-file.js';

/** What the thread says; each batch is answered with any message before the next one is read, so that memory stays small. */
export type FromTableImport = { kind: 'rows'; rows: string[][] } | { kind: 'end'; table: ReadTable } | { kind: 'failed'; reason: string };
/** What the thread is started with. */
export interface TableImportData {
  file: string;
  options: TableOptions;
}

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');

const say = (message: FromTableImport): void => {
  port.postMessage(message);
};
const { file, options } = workerData as TableImportData;
try {
  const table = await readTableFile(
    file,
    options,
    (rows) =>
      new Promise((taken) => {
        port.once('message', () => {
          taken();
        });
        say({ kind: 'rows', rows });
      }),
  );
  say({ kind: 'end', table });
} catch (error) {
  say({ kind: 'failed', reason: error instanceof Error ? error.message : String(error) });
}
