import {
  isRefusal,
  allRows,
  boundColumns,
  DataRowSchema,
  DataTableSchema,
  DealSchema,
  GeneratedColumnSchema,
  mostRows,
  plainColumns,
  renameDataColumn,
  TableChangeSchema,
  TableVersionSchema,
  TableViewSchema,
  TableWishSchema,
  writeCsv,
  type DataColumn,
  type DataTable,
  ImportedTableSchema,
  DuplicatesSchema,
} from '@sturdy/core';
import type { Request, Response } from 'express';
import * as z from 'zod';
import { tableImportWorkerFile } from '../shipped/files.js';
import { generateTable, importTable, largestTableFile, tooLarge } from '../import/import-table.js';
import type { Reach } from '../environments/reach.js';
import { databaseOriginOf, queryTable, tryQuery, type TableQuery } from '../import/query-table.js';
import { notFound, Problem } from '../problem/problem.js';
import { keepScript } from '../scripts/keep-script.js';
import { countedNumber, InProject } from './parameters.js';
import { askerOf, personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** Rows that are read at once for an export. */
const exportedAtOnce = 5000;
/** A sheet is put together in memory, so it holds no more rows than this. */
const mostSheetRows = 200_000;
/** Rows whose values are compared with each other when they come in, at the most. */
const mostCompared = 200_000;

const InTable = z.object({ tableId: z.string() });
const Name = z.string().trim().min(1, 'Give the table a name.').max(120);
const Query = z.object({
  /** `own` for the store of this product, else `postgres://…`. */
  address: z.string().max(500),
  sql: z.string().trim().min(1, 'Write a query, such as select * from orders.').max(20_000),
});

/** What is refused reaches the screen as a problem under this title. */
const refusedAs =
  (title: string) =>
  (error: unknown): never => {
    throw isRefusal(error) ? new Problem(422, title, error.message) : error;
  };

/** Aborted where the client goes away before it has its answer. */
function whileAsked(request: Request, response: Response): AbortSignal {
  const controller = new AbortController();
  response.on('close', () => {
    if (!response.writableEnded) controller.abort();
  });
  if (request.destroyed && !request.complete) controller.abort();
  return controller.signal;
}

/** Data tables: import, generated rows, rows, changes and versions, the deal. */
export const dataRoutes = ({ store, environments, compute, live }: Services): AnyRoute[] => {
  const need = async (id: string): Promise<DataTable> => {
    const table = await store.table(id);
    if (!table) throw notFound('data table', id);
    return table;
  };
  /** Where a query of another database may go; that it goes there is noted. */
  const queried = async (project: string, { address }: TableQuery, request: Request): Promise<Reach> => {
    const { by, chosen } = askerOf(request);
    const environment = await environments.inUse(project, chosen);
    const origin = databaseOriginOf(address);
    if (origin !== null) await environments.noteUse(environment, [origin], 'A query for a data table', by);
    return { environment, lookup: environments.lookup };
  };
  /** Scripts call columns by their names, so they follow when a column is called otherwise. */
  const follow = async (table: DataTable, columns: readonly DataColumn[], by: string): Promise<void> => {
    if (table.columns.length !== columns.length) return;
    for (const [at, { name }] of table.columns.entries()) {
      const now = columns[at]?.name;
      if (now === undefined || now === name) continue;
      for (const script of await store.scripts(table.projectId))
        if (boundColumns(script).get(table.id)?.has(name))
          await keepScript(store, renameDataColumn(script, table.id, name, now), {
            by,
            what: `The column “${name}” of “${table.name}” is called “${now}”`,
          });
    }
  };
  // To compare all values of a very long table takes longer than anybody waits for.
  const nearlyUnique = (id: string, rows: number) => (rows > mostCompared ? Promise.resolve([]) : store.nearlyUnique(id));
  const tellImported = (project: string) => (rows: number) => {
    live.tell(`tables:${project}`, 'importing', { rows });
  };
  return [
    route({
      method: 'get',
      path: '/projects/:projectId/tables',
      summary: 'The data tables of a project',
      params: InProject,
      result: z.array(DataTableSchema),
      handle: ({ params }) => store.tables(params.projectId),
    }),
    route({
      method: 'get',
      path: '/projects/:projectId/tables/live',
      summary: 'Events while a table is imported: how many rows there are so far',
      params: InProject,
      produces: 'text/event-stream',
      handle: ({ params, response }) => {
        live.listen(`tables:${params.projectId}`, response);
      },
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/tables/import',
      summary: 'Import a data table: CSV (RFC 4180), JSON, a sheet (.xlsx), or cells pasted from a spreadsheet',
      params: InProject,
      query: z.object({
        name: Name,
        ragged: z.enum(['skip', 'fix', 'stop']).default('skip'),
        header: z.enum(['yes', 'no', 'detect']).default('detect'),
      }),
      streamBody: 'application/octet-stream',
      result: ImportedTableSchema,
      handle: async ({ params, query, request, response }) => {
        if (Number(request.headers['content-length'] ?? 0) > largestTableFile) throw tooLarge();
        const imported = await importTable(
          store,
          tableImportWorkerFile,
          request,
          { projectId: params.projectId, name: query.name },
          { ragged: query.ragged, ...(query.header === 'detect' ? {} : { header: query.header === 'yes' }) },
          tellImported(params.projectId),
          whileAsked(request, response),
        );
        const { problems, problemCount, read } = imported;
        return { table: await need(imported.id), problems, problemCount, twice: await nearlyUnique(imported.id, imported.rowCount), read };
      },
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/tables/query',
      summary: 'Import what a read-only query of a PostgreSQL database, or of the data tables of the project, gives',
      params: InProject,
      body: Query.extend({ name: Name }),
      result: ImportedTableSchema,
      handle: async ({ params, body, request, response }) => {
        const target = { projectId: params.projectId, name: body.name };
        const reach = await queried(params.projectId, body, request);
        const made = await queryTable(store, body, target, reach, tellImported(params.projectId), whileAsked(request, response)).catch(
          refusedAs('The query failed'),
        );
        return {
          table: await need(made.id),
          problems: [],
          problemCount: 0,
          twice: await nearlyUnique(made.id, made.rowCount),
          read: made.read,
        };
      },
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/tables/try-query',
      summary: 'The first rows that a read-only query would give; nothing is kept',
      params: InProject,
      body: Query,
      result: z.object({ columns: z.array(z.string()), rows: z.array(z.array(z.string())) }),
      handle: async ({ params, body, request, response }) => {
        const reach = await queried(params.projectId, body, request);
        return tryQuery(store, params.projectId, body, reach, whileAsked(request, response)).catch(refusedAs('The query failed'));
      },
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/tables/generate',
      summary: 'Make a table of generated columns; the same seed gives the same rows',
      params: InProject,
      body: z.object({
        name: Name,
        columns: z.array(GeneratedColumnSchema).min(1, 'Add a column.').max(40),
        count: z.number().int().min(1).max(mostRows),
        seed: z.string().max(60),
      }),
      result: DataTableSchema,
      handle: async ({ params, body, request, response }) => {
        const columns = plainColumns(body.columns.map((column) => column.name)).map((column, at): DataColumn => {
          const made = body.columns[at]?.kind;
          return { ...column, kind: made === 'number' ? 'number' : 'text', unique: made === 'container' || made === 'guid' };
        });
        const id = await generateTable(
          store,
          tableImportWorkerFile,
          { columns: body.columns, count: body.count, seed: body.seed, nowMs: Date.now() },
          { projectId: params.projectId, name: body.name, columns },
          tellImported(params.projectId),
          whileAsked(request, response),
        );
        return need(id);
      },
    }),
    route({
      method: 'get',
      path: '/tables/:tableId/rows',
      summary: 'Rows of a table from a row onwards, with who spent them',
      params: InTable,
      query: z.object({ from: countedNumber.min(1).default(1), count: z.coerce.number().int().min(1).max(1000).default(200) }),
      result: z.array(DataRowSchema),
      handle: ({ params, query }) => store.rows(params.tableId, query.from, query.count),
    }),
    route({
      method: 'post',
      path: '/tables/:tableId/view',
      summary: 'Rows that are looked for, in the order that is wished, from a place (from 0) onwards',
      params: InTable,
      body: z.object({
        wish: TableWishSchema,
        from: z.number().int().nonnegative(),
        count: z.number().int().min(1).max(2000),
        /** False where it is known already how many rows there are. */
        counts: z.boolean().default(true),
      }),
      result: TableViewSchema,
      handle: async ({ params, body }) => store.viewTable((await need(params.tableId)).id, body.wish, body.from, body.count, body.counts),
    }),
    route({
      method: 'get',
      path: '/tables/:tableId/duplicates',
      summary: 'Columns that are to be unique and are not, with one value that stands twice',
      params: InTable,
      result: z.array(DuplicatesSchema),
      handle: async ({ params }) => store.duplicates((await need(params.tableId)).id),
    }),
    route({
      method: 'post',
      path: '/tables/:tableId/changes',
      summary: 'Change cells, rows or columns of a table as one new version',
      params: InTable,
      body: TableChangeSchema,
      result: DataTableSchema,
      handle: async ({ params, body, request }) => {
        const table = await need(params.tableId);
        if (body.kind === 'delete-column') await mustBeUnused(table, body.column);
        const columns = await store
          .changeTable(table.id, body, personOf(request), new Date().toISOString())
          .catch(refusedAs('The table cannot be changed so'));
        await follow(table, columns, personOf(request));
        return need(table.id);
      },
    }),
    route({
      method: 'get',
      path: '/tables/:tableId/versions',
      summary: 'The versions of a table, the newest first',
      params: InTable,
      result: z.array(TableVersionSchema),
      handle: async ({ params }) => store.tableVersions((await need(params.tableId)).id),
    }),
    route({
      method: 'put',
      path: '/tables/:tableId/version',
      summary: 'Show another version of a table; 0 is as it was made. What was changed since is kept and can be had back',
      params: InTable,
      body: z.object({ version: z.number().int().nonnegative() }),
      result: DataTableSchema,
      handle: async ({ params, body, request }) => {
        const table = await need(params.tableId);
        const columns = await store.goToVersion(table.id, body.version).catch(refusedAs('No such version'));
        await follow(table, columns, personOf(request));
        return need(table.id);
      },
    }),
    route({
      method: 'get',
      path: '/tables/:tableId/rows.csv',
      summary: 'A table as CSV (RFC 4180), with cells defused that a spreadsheet would take for formulas',
      params: InTable,
      produces: 'text/csv',
      handle: async ({ params, response }) => {
        const table = await need(params.tableId);
        response.type('text/csv').attachment(`${fileName(table.name)}.csv`);
        response.write(
          writeCsv(
            table.columns.map((column) => column.name),
            [],
          ),
        );
        for await (const rows of rowsOf(table.id)) response.write(writeCsv(null, rows));
        response.end();
      },
    }),
    route({
      method: 'get',
      path: '/tables/:tableId/rows.xlsx',
      summary: 'A table as a sheet (Office Open XML): numbers as numbers, everything else as text and never as a formula',
      params: InTable,
      produces: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
      handle: async ({ params, response }) => {
        const table = await need(params.tableId);
        if (table.rowCount > mostSheetRows)
          throw new Problem(
            422,
            'Too many rows for a sheet',
            `“${table.name}” has ${table.rowCount.toLocaleString('en')} rows; a sheet takes ${mostSheetRows.toLocaleString('en')}. Export it as CSV.`,
          );
        const rows: string[][] = [];
        for await (const some of rowsOf(table.id)) rows.push(...some);
        const bytes = await compute.writeSheet(table.name, table.columns, rows);
        response.type('application/vnd.openxmlformats-officedocument.spreadsheetml.sheet').attachment(`${fileName(table.name)}.xlsx`);
        response.end(Buffer.from(bytes));
      },
    }),
    route({
      method: 'post',
      path: '/tables/:tableId/release',
      summary: 'Free spent rows, so that they are dealt again: the given ones, or all',
      params: InTable,
      body: z.object({ rows: z.array(z.number().int()).max(100_000).nullable().default(null) }),
      result: z.object({ released: z.number() }),
      handle: async ({ params, body }) => ({ released: await store.releaseRows((await need(params.tableId)).id, body.rows, null) }),
    }),
    route({
      method: 'put',
      path: '/tables/:tableId/deal',
      summary: 'Say when a new row is dealt, and what happens when there is none left',
      params: InTable,
      body: DealSchema,
      result: DataTableSchema,
      handle: async ({ params, body }) => {
        await store.setDeal((await need(params.tableId)).id, body);
        return need(params.tableId);
      },
    }),
    route({
      method: 'put',
      path: '/tables/:tableId/name',
      summary: 'Call a table otherwise',
      params: InTable,
      body: z.object({ name: Name }),
      result: DataTableSchema,
      handle: async ({ params, body }) => {
        await store.renameTable((await need(params.tableId)).id, body.name);
        return need(params.tableId);
      },
    }),
    route({
      method: 'delete',
      path: '/tables/:tableId',
      summary: 'Delete a data table with its rows',
      params: InTable,
      result: z.object({}),
      handle: async ({ params }) => {
        await store.deleteTable((await need(params.tableId)).id);
        return {};
      },
    }),
  ];

  async function mustBeUnused(table: DataTable, column: number): Promise<void> {
    const name = table.columns[column]?.name ?? '';
    const user = (await store.scripts(table.projectId)).find((script) => boundColumns(script).get(table.id)?.has(name));
    if (user)
      throw new Problem(409, 'The column is in use', `The script “${user.name}” sends “${name}”. Let it send something else first.`);
  }

  /** All rows of a table as it is shown, some at once. */
  async function* rowsOf(tableId: string): AsyncGenerator<string[][]> {
    for (let from = 0; ; from += exportedAtOnce) {
      const { rows } = await store.viewTable(tableId, allRows, from, exportedAtOnce, false);
      if (rows.length > 0) yield rows.map((row) => row.values);
      if (rows.length < exportedAtOnce) return;
    }
  }
};

const fileName = (name: string): string => name.replace(/[^\p{L}\d._ -]+/gu, '-');
