import { randomUUID } from 'node:crypto';
import {
  DataRowSchema,
  DataTableSchema,
  DealSchema,
  GeneratedColumnSchema,
  mostRows,
  onceInOrder,
  writeCsv,
  type DataTable,
} from '@sturdy/core';
import * as z from 'zod';
import { notFound, Problem } from '../problem.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import { projectId, type Services } from './services.js';

/** Rows that are read at once for an export. */
const exportedAtOnce = 5000;

const InTable = z.object({ tableId: z.string() });
const Name = z.string().trim().min(1, 'Give the table a name.').max(120);

/** Data tables: import, generated rows, rows, the deal. */
export const dataRoutes = ({ store, compute }: Services): AnyRoute[] => {
  const need = async (id: string): Promise<DataTable> => {
    const table = (await store.tables(projectId)).find((one) => one.id === id);
    if (!table) throw notFound('data table', id);
    return table;
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
      method: 'post',
      path: '/projects/:projectId/tables/import',
      summary: 'Import a data table: CSV (RFC 4180), JSON, a sheet (.xlsx), or cells pasted from a spreadsheet',
      params: InProject,
      query: z.object({
        name: Name,
        ragged: z.enum(['skip', 'fix', 'stop']).default('skip'),
        header: z.enum(['yes', 'no', 'detect']).default('detect'),
      }),
      rawBody: 'application/octet-stream',
      result: z.object({ table: DataTableSchema, problems: z.array(z.object({ line: z.number(), text: z.string() })), read: z.string() }),
      handle: async ({ params, query, request }) => {
        const options = { ragged: query.ragged, ...(query.header === 'detect' ? {} : { header: query.header === 'yes' }) };
        const read = await compute.readTable(request.body as Uint8Array, options).catch((error: unknown) => {
          throw new Problem(422, 'Not a table', error instanceof Error ? error.message : 'The file cannot be read.');
        });
        if (read.rows.length === 0)
          throw new Problem(
            422,
            'No rows',
            `The file has ${read.columns.length} columns but no row that fits them. ${read.problems[0] ? `Line ${read.problems[0].line} ${read.problems[0].text}.` : 'Add rows below the header.'}`,
          );
        const id = randomUUID();
        await store.saveTable({ id, projectId: params.projectId, name: query.name, columns: read.columns, deal: onceInOrder }, read.rows);
        return { table: await need(id), problems: read.problems.slice(0, 200), read: read.read };
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
      handle: async ({ params, body }) => {
        const rows = await compute.generateRows(body.columns, body.count, body.seed, Date.now()).catch((error: unknown) => {
          throw new Problem(422, 'The rows cannot be made', error instanceof Error ? error.message : 'Look at the columns.');
        });
        const id = randomUUID();
        const columns = body.columns.map((one) => one.name);
        await store.saveTable({ id, projectId: params.projectId, name: body.name, columns, deal: onceInOrder }, rows);
        return need(id);
      },
    }),
    route({
      method: 'get',
      path: '/tables/:tableId/rows',
      summary: 'Rows of a table from a place onwards, with who spent them',
      params: InTable,
      query: z.object({ from: z.coerce.number().int().min(1).default(1), count: z.coerce.number().int().min(1).max(1000).default(200) }),
      result: z.array(DataRowSchema),
      handle: ({ params, query }) => store.rows(params.tableId, query.from, query.count),
    }),
    route({
      method: 'get',
      path: '/tables/:tableId/rows.csv',
      summary: 'A table as CSV (RFC 4180), with cells defused that a spreadsheet would take for formulas',
      params: InTable,
      produces: 'text/csv',
      handle: async ({ params, response }) => {
        const table = await need(params.tableId);
        response.type('text/csv').attachment(`${table.name.replace(/[^\p{L}\d._ -]+/gu, '-')}.csv`);
        for (let from = 1; from <= table.rowCount; from += exportedAtOnce) {
          const rows = (await store.rows(table.id, from, exportedAtOnce)).map((one) => one.values);
          response.write(writeCsv(from === 1 ? table.columns : null, rows));
        }
        response.end();
      },
    }),
    route({
      method: 'post',
      path: '/tables/:tableId/release',
      summary: 'Free all spent rows, so that they are dealt again',
      params: InTable,
      result: z.object({ released: z.number() }),
      handle: async ({ params }) => ({ released: await store.releaseRows((await need(params.tableId)).id, null, null) }),
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
};
