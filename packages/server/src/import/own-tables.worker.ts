import { parentPort, workerData } from 'node:worker_threads';
import { PGlite } from '@electric-sql/pglite';
import type { DataColumn } from '@sturdy/core';
import { unpackDatabase } from '../store/empty-database.js';
import { queryCell, queryColumns, type QueryRows } from './query-cells.js';

/** A row as it is copied: its number, who spent it, its cells. */
export type CopiedRow = [row: number, spentBy: string | null, ...cells: string[]];

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;
const isNumber = /^\s*[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d{1,3})?\s*$/i;
/** What a table holds in addition to its own columns; where it has one of that name, its own stands. */
const extra = ['row', 'spent_by'];

const { emptyDatabase, dataDir } = workerData as { emptyDatabase: string; dataDir: string };
unpackDatabase(emptyDatabase, dataDir);
/** It begins with the empty store that ships with the product, which opens in a fifth of the time that a new database takes; its tables go first. */
const database = PGlite.create({ dataDir }).then(async (opened) => {
  await opened.exec('drop schema public cascade; drop schema if exists drizzle cascade; create schema public');
  return opened;
});
let columns: readonly DataColumn[] = [];
let into = '';

const methods = {
  /** Makes a table with the name and the columns of a data table; the rows that follow are its own. */
  table: async (name: string, dataColumns: readonly DataColumn[]): Promise<void> => {
    columns = dataColumns;
    into = quoted(name);
    const named = new Set(dataColumns.map((column) => column.name));
    const all = [
      ...extra.map(
        (columnName) => `${quoted(named.has(columnName) ? ` ${columnName}` : columnName)} ${columnName === 'row' ? 'integer' : 'text'}`,
      ),
      ...dataColumns.map(({ name: column, kind }) => `${quoted(column)} ${kind === 'number' ? 'numeric' : 'text'}`),
    ];
    await (await database).exec(`create table ${into} (${all.join(', ')})`);
  },
  rows: async (rows: readonly CopiedRow[]): Promise<void> => {
    // As one array for each column: the number of parameters does not grow with the rows.
    const cells = columns.map(({ kind }, at) =>
      rows.map((row) => {
        const cell = String(row[at + extra.length] ?? '');
        return kind === 'number' && !isNumber.test(cell) ? null : cell;
      }),
    );
    const types = ['integer', 'text', ...columns.map(({ kind }) => (kind === 'number' ? 'numeric' : 'text'))];
    const arrays = types.map((type, at) => `$${at + 1}::text[]::${type}[]`);
    const given = [rows.map((row) => String(row[0])), rows.map((row) => row[1]), ...cells];
    await (await database).query(`insert into ${into} select * from unnest(${arrays.join(', ')})`, given);
  },
  query: async (sql: string, most: number): Promise<QueryRows> =>
    (await database).transaction(async (work) => {
      await work.query('set transaction read only');
      await work.query(`declare wanted no scroll cursor for ${sql}`);
      const result = await work.query<Record<string, unknown>>(`fetch ${most} from wanted`);
      const names = queryColumns(result.fields);
      return { columns: names, rows: result.rows.map((row) => names.map((name) => queryCell(row[name]))) };
    }),
};

port.on('message', ({ id, method, args }: { id: number; method: keyof typeof methods; args: unknown[] }) => {
  (methods[method] as (...given: unknown[]) => Promise<unknown>)(...args).then(
    (result) => {
      port.postMessage({ id, result });
    },
    (error: unknown) => {
      port.postMessage({ id, error: error instanceof Error ? error.message : String(error) });
    },
  );
});
port.postMessage({ ready: true });
