import { parentPort, workerData } from 'node:worker_threads';
import { generatedRows, type GeneratedColumn, type TableOptions } from '@sturdy/core';
import { batchRows, readTableFile, type ReadTable } from './read-table-file.js';

/** What the thread says; each batch is answered with any message before the next one is read, so that memory stays small. */
export type FromTableImport = { kind: 'rows'; rows: string[][] } | { kind: 'end'; table: ReadTable } | { kind: 'failed'; reason: string };
/** What the thread is started with: the file to read, or what rows to make. */
export type TableImportData =
  | { kind: 'file'; file: string; options: TableOptions }
  | { kind: 'generated'; columns: readonly GeneratedColumn[]; count: number; seed: string; nowMs: number };

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');

const say = (message: FromTableImport): void => {
  port.postMessage(message);
};
/** Hands over a batch; resolves when it was taken. */
const give = (rows: string[][]): Promise<void> =>
  new Promise((taken) => {
    port.once('message', () => {
      taken();
    });
    say({ kind: 'rows', rows });
  });

async function generate({ columns, count, seed, nowMs }: Extract<TableImportData, { kind: 'generated' }>): Promise<ReadTable> {
  let batch: string[][] = [];
  let rowCount = 0;
  for (const row of generatedRows(columns, count, seed, nowMs)) {
    rowCount++;
    batch.push(row);
    if (batch.length < batchRows) continue;
    await give(batch);
    batch = [];
  }
  if (batch.length > 0) await give(batch);
  const kinds = columns.map(({ kind }) => (kind === 'number' ? ('number' as const) : ('text' as const)));
  return {
    columns: columns.map(({ name }) => name),
    kinds,
    hasHeader: false,
    problems: [],
    problemCount: 0,
    rowCount,
    read: 'generated',
  };
}

const data = workerData as TableImportData;
try {
  say({ kind: 'end', table: data.kind === 'file' ? await readTableFile(data.file, data.options, give) : await generate(data) });
} catch (error) {
  say({ kind: 'failed', reason: error instanceof Error ? error.message : String(error) });
}
