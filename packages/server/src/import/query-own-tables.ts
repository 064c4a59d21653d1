import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Refusal, type DataTable } from '@sturdy/core';
import { emptyDatabaseFile, ownTablesWorkerFile } from '../shipped/files.js';
import type { Store } from '../store/store-client.js';
import { makeTemporaryFolder } from '../temporary/temporary-folder.js';
import { WorkerCalls } from '../threads/worker-calls.js';
import type { CopiedRow } from './own-tables.worker.js';
import { asRefusal, type QueryRows } from './query-cells.js';

/** Rows that are copied for one query. */
const mostCopied = 500_000;
const copiedAtOnce = 5000;
/** A query that takes longer is ended with its copy, in ms. */
const longestMs = 30_000;

const named = ({ name, columns }: DataTable): string =>
  `"${name.replaceAll('"', '""')}" (${columns.map((column) => column.name).join(', ')})`;

/**
 * What a query of the project's data tables gives, up to `most` rows. It is asked in a database of its own that holds copies of the tables it
 * names and nothing else, and that is gone afterwards: whatever the query does, nothing of the product is touched or seen. Throws the
 * database's sentence where it fails, and one of ours where it names no table, wants too much, takes too long or is given up.
 */
export async function queryOwnTables(
  store: Pick<Store, 'tables' | 'rows'>,
  projectId: string,
  sql: string,
  most: number,
  signal?: AbortSignal,
  limitMs = longestMs,
): Promise<QueryRows> {
  const tables = await store.tables(projectId);
  const asked = tables.filter(({ name }) => sql.toLowerCase().includes(name.toLowerCase().replaceAll('"', '""')));
  if (asked.length === 0)
    throw new Refusal(
      tables.length === 0
        ? 'This project has no data table yet, so there is nothing to ask. Import one first.'
        : `The query names none of the data tables of this project. There are: ${tables.slice(0, 8).map(named).join('; ')}. Write a name in double quotes.`,
    );
  const rows = asked.reduce((sum, table) => sum + table.rowCount, 0);
  if (rows > mostCopied)
    throw new Refusal(
      `The tables of this query have ${rows.toLocaleString('en')} rows, and at most ${mostCopied.toLocaleString('en')} are asked at once. Name fewer tables.`,
    );
  const folder = await makeTemporaryFolder();
  const dataDir = join(folder, 'pg');
  const calls = await WorkerCalls.start(ownTablesWorkerFile, { emptyDatabase: emptyDatabaseFile, dataDir });
  let why = '';
  const end = (reason: string): void => {
    why ||= reason;
    void calls.worker.terminate();
  };
  const giveUp = (): void => {
    end('The query was given up; nothing of it was kept.');
  };
  signal?.addEventListener('abort', giveUp);
  // Who gave up while the thread was started is not heard any more.
  if (signal?.aborted) giveUp();
  let timer: NodeJS.Timeout | undefined;
  try {
    for (const table of asked) {
      await calls.call('table', [table.name, table.columns]);
      for (let from = 1; ;) {
        const batch = await store.rows(table.id, from, copiedAtOnce);
        const last = batch.at(-1);
        if (!last) break;
        await calls.call('rows', [batch.map(({ row, spentBy, values }): CopiedRow => [row, spentBy, ...values])]);
        from = last.row + 1;
      }
    }
    timer = setTimeout(() => {
      end(`The query took longer than ${Math.round(limitMs / 1000)} s and was ended. Ask for less, or join on fewer rows.`);
    }, limitMs);
    return (await calls.call('query', [sql, most]).catch(asRefusal)) as QueryRows;
  } catch (error) {
    throw why === '' ? error : new Refusal(why);
  } finally {
    clearTimeout(timer);
    signal?.removeEventListener('abort', giveUp);
    await calls.worker.terminate();
    // A thousand files take longer to remove than the query takes; who asks does not wait, and a start removes what is left.
    rm(folder, { recursive: true, force: true }).catch(() => undefined);
  }
}
