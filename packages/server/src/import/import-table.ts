import { randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { join } from 'node:path';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Worker } from 'node:worker_threads';
import { onceInOrder, type DataColumn, type TableOptions } from '@sturdy/core';
import { Problem } from '../problem/problem.js';
import type { Store } from '../store/store-client.js';
import { inTemporaryFolder } from '../temporary/temporary-folder.js';
import type { ReadTable } from './read-table-file.js';
import type { FromTableImport, TableImportData } from './table-import.worker.js';

/** A file of a table may be no larger than this. */
export const largestTableFile = 512 * 1024 * 1024;

/** What an import made. */
export interface ImportedTable extends ReadTable {
  id: string;
}

const cancelled = (): Problem => new Problem(499, 'The import was cancelled', 'The import was cancelled; nothing of it was kept.');

/**
 * Imports a table while it is uploaded: the upload goes to a file, a thread reads it in batches, the store takes one after the other. What is
 * broken off leaves nothing behind. `told` hears how many rows there are so far.
 */
export async function importTable(
  store: Store,
  worker: URL,
  source: Readable,
  target: { projectId: string; name: string },
  options: TableOptions,
  onRows: (rows: number) => void,
  signal: AbortSignal,
): Promise<ImportedTable> {
  return inTemporaryFolder(async (folder) => {
    const file = join(folder, 'upload');
    await spool(source, file);
    const columnsOf = (table: ReadTable): DataColumn[] => {
      if (table.rowCount === 0)
        throw new Problem(
          422,
          'No rows',
          `The file has ${table.columns.length} columns but no row that fits them. ${table.problems[0] ? `Line ${table.problems[0].line} ${table.problems[0].text}.` : 'Add rows below the header.'}`,
        );
      return table.columns.map((name, at) => ({ name, kind: table.kinds[at] ?? 'text', unique: false }));
    };
    return keepTable(store, worker, { kind: 'file', file, options }, target, columnsOf, onRows, signal);
  });
}

/** Makes a table of generated rows, with what `importTable` promises; gives its id. */
export async function generateTable(
  store: Store,
  worker: URL,
  wish: Omit<Extract<TableImportData, { kind: 'generated' }>, 'kind'>,
  target: { projectId: string; name: string; columns: DataColumn[] },
  onRows: (rows: number) => void,
  signal: AbortSignal,
): Promise<string> {
  const { columns, ...where } = target;
  return (await keepTable(store, worker, { kind: 'generated', ...wish }, where, () => columns, onRows, signal)).id;
}

/** Stores what a thread reads or makes, batch by batch, and the table that holds it last. What is broken off leaves nothing behind. */
async function keepTable(
  store: Store,
  worker: URL,
  data: TableImportData,
  target: { projectId: string; name: string },
  columnsOf: (table: ReadTable) => DataColumn[],
  onRows: (rows: number) => void,
  signal: AbortSignal,
): Promise<ImportedTable> {
  const id = randomUUID();
  let written = 0;
  try {
    const table = await readInThread(worker, data, signal, async (rows) => {
      await store.importRows(id, written, rows);
      written += rows.length;
      onRows(written);
    });
    await store.saveTable({ id, ...target, columns: columnsOf(table), deal: onceInOrder }, []);
    return { ...table, id };
  } catch (error) {
    if (written > 0) await store.deleteTable(id);
    throw error;
  }
}

async function spool(source: Readable, file: string): Promise<void> {
  let size = 0;
  const counted = new Transform({
    transform(piece: Buffer, _encoding, done) {
      size += piece.length;
      if (size > largestTableFile) done(tooLarge());
      else done(null, piece);
    },
  });
  await pipeline(source, counted, createWriteStream(file)).catch((error: unknown) => {
    throw error instanceof Problem ? error : cancelled();
  });
}

/** What is said to one who uploads more than is taken. */
export const tooLarge = (): Problem =>
  new Problem(413, 'Too large', `The file is larger than ${largestTableFile / 1024 / 1024} MB. Split it, and import the parts one by one.`);

function readInThread(
  worker: URL,
  data: TableImportData,
  signal: AbortSignal,
  take: (rows: string[][]) => Promise<void>,
): Promise<ReadTable> {
  const thread = new Worker(worker, { workerData: data, resourceLimits: { maxOldGenerationSizeMb: 1536 } });
  return new Promise<ReadTable>((done, failed) => {
    // What is being written is waited for, or it would come after the rows have been deleted.
    let writing: Promise<unknown> = Promise.resolve();
    const giveUp = (reason: Error): void => {
      writing.then(
        () => {
          failed(reason);
        },
        () => {
          failed(reason);
        },
      );
    };
    signal.addEventListener('abort', () => {
      giveUp(cancelled());
    });
    if (signal.aborted) giveUp(cancelled());
    thread.on('error', (error) => {
      giveUp(
        new Problem(
          422,
          'Not a table',
          `The file is too large for the memory of this machine (${error.message}). Write it as CSV, or in parts.`,
        ),
      );
    });
    thread.on('message', (message: FromTableImport) => {
      if (signal.aborted) return;
      if (message.kind === 'end')
        writing.then(() => {
          done(message.table);
        }, failed);
      else if (message.kind === 'failed')
        giveUp(new Problem(422, data.kind === 'file' ? 'Not a table' : 'The rows cannot be made', message.reason));
      else {
        // The thread reads the next batch while this one is written, and not further ahead.
        writing = writing.then(() => {
          thread.postMessage('taken');
          return signal.aborted ? undefined : take(message.rows);
        });
        writing.catch(failed);
      }
    });
  }).finally(() => thread.terminate());
}
