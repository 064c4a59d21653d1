import { randomUUID } from 'node:crypto';
import {
  dryDeal,
  DryIterationSchema,
  VersionSchema,
  WorkloadSchema,
  writeWorkloadFile,
  type DryIteration,
  type Workload,
} from '@sturdy/core';
import type { LeasedRow } from '@sturdy/engine';
import type { Request } from 'express';
import * as z from 'zod';
import { peeking, RowDealer } from '../rows/row-dealer.js';
import { notFound } from '../problem/problem.js';
import { runForecast } from '../workloads/run-forecast.js';
import { plannedScripts } from '../workloads/planned-scripts.js';
import { writeCommandLineFiles } from '../workloads/command-line-files.js';
import { countedNumber, InProject } from './parameters.js';
import { askerOf, personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** Iterations of which a dry deal tells. */
const dealtDry = 60;

const InWorkload = z.object({ workloadId: z.string() });
const InVersion = InWorkload.extend({ number: countedNumber.positive() });
const TextSchema = z.object({ text: z.string() });
export const ForecastSchema = z.object({
  seconds: z.number(),
  users: z.number(),
  iterations: z.number(),
  requests: z.number(),
  crews: z.array(z.object({ crew: z.string(), iterations: z.number(), requests: z.number(), iterationSeconds: z.number() })),
  targets: z.array(z.string()),
  tables: z.array(z.object({ table: z.string(), rowsNeeded: z.number(), rowsFree: z.number(), emptyAtSeconds: z.number().nullable() })),
  obstacles: z.array(z.string()),
  warnings: z.array(z.string()),
});

/** Workloads and their forecast. */
export const workloadRoutes = ({ store, environments }: Services): AnyRoute[] => {
  const need = async (id: string): Promise<Workload> => {
    const workload = await store.workload(id);
    if (!workload) throw notFound('workload', id);
    return workload;
  };
  const keep = (workload: Workload, request: Request, what?: string) =>
    store.saveWorkload(workload, personOf(request), new Date().toISOString(), what);
  const needVersion = async (id: string, number: number): Promise<Workload> => {
    const workload = await store.workloadAt(id, number);
    if (!workload) throw notFound('version', String(number));
    return workload;
  };
  /** As a file, with scripts by their names: for reading, and to be laid beside another. */
  const textOf = async (workload: Workload): Promise<{ text: string }> => {
    const names = new Map((await store.scripts(workload.projectId)).map((script) => [script.id, script.name]));
    return { text: writeWorkloadFile(workload, { script: (id) => names.get(id) ?? id }) };
  };
  const planned = ({ projectId, crews }: Workload) => plannedScripts(store, projectId, new Set(crews.map(({ scriptId }) => scriptId)));
  return [
    route({
      method: 'get',
      path: '/projects/:projectId/workloads',
      summary: 'The workloads of a project',
      params: InProject,
      result: z.array(WorkloadSchema),
      handle: ({ params }) => store.workloads(params.projectId),
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/workloads',
      summary: 'Make a workload',
      params: InProject,
      body: WorkloadSchema.omit({ id: true, projectId: true }),
      result: WorkloadSchema,
      handle: async ({ params, body, request }) => {
        const workload: Workload = { ...body, id: randomUUID(), projectId: params.projectId };
        await keep(workload, request);
        return workload;
      },
    }),
    route({
      method: 'get',
      path: '/workloads/:workloadId',
      summary: 'One workload',
      params: InWorkload,
      result: WorkloadSchema,
      handle: ({ params }) => need(params.workloadId),
    }),
    route({
      method: 'put',
      path: '/workloads/:workloadId',
      summary: 'Save a workload',
      params: InWorkload,
      body: WorkloadSchema,
      result: WorkloadSchema,
      handle: async ({ params, body, request }) => {
        const known = await need(params.workloadId);
        const workload = { ...body, id: known.id, projectId: known.projectId };
        await keep(workload, request);
        return workload;
      },
    }),
    route({
      method: 'delete',
      path: '/workloads/:workloadId',
      summary: 'Delete a workload; its runs stay',
      params: InWorkload,
      result: z.object({}),
      handle: async ({ params }) => {
        await store.deleteWorkload((await need(params.workloadId)).id);
        return {};
      },
    }),
    route({
      method: 'get',
      path: '/workloads/:workloadId/files.zip',
      summary: 'The files with which the command line plays a workload: workload, scripts, environment, and the free rows of its tables',
      params: InWorkload,
      query: z.object({ environment: z.string().optional() }),
      produces: 'application/zip',
      handle: async ({ params, query, response }) => {
        const workload = await need(params.workloadId);
        const all = await store.scripts(workload.projectId);
        const source = {
          store,
          workload,
          scripts: all.filter((script) => workload.crews.some((crew) => crew.scriptId === script.id)),
          tables: await store.tables(workload.projectId),
          environment: await environments.inUse(workload.projectId, workload.environmentId ?? query.environment),
        };
        response.type('application/zip').attachment(`${workload.name.replace(/[^\p{L}\d._ -]+/gu, '-')}.zip`);
        await writeCommandLineFiles(source, (piece) => response.write(piece));
        response.end();
      },
    }),
    route({
      method: 'get',
      path: '/workloads/:workloadId/text',
      summary: 'A workload as text, as the command line reads it, with its scripts by name',
      params: InWorkload,
      result: TextSchema,
      handle: async ({ params }) => textOf(await need(params.workloadId)),
    }),
    route({
      method: 'get',
      path: '/workloads/:workloadId/versions',
      summary: 'The versions of a workload, the newest first: who changed what when',
      params: InWorkload,
      result: z.array(VersionSchema),
      handle: async ({ params }) => store.workloadVersions((await need(params.workloadId)).id),
    }),
    route({
      method: 'get',
      path: '/workloads/:workloadId/versions/:number/text',
      summary: 'The text of a workload as it was in a version',
      params: InVersion,
      result: TextSchema,
      handle: async ({ params }) => textOf(await needVersion(params.workloadId, params.number)),
    }),
    route({
      method: 'post',
      path: '/workloads/:workloadId/versions/:number/restore',
      summary: 'Have a version of a workload back; it becomes the newest one, and nothing of what came after it is lost',
      params: InVersion,
      result: WorkloadSchema,
      handle: async ({ params, request }) => {
        const workload = await needVersion(params.workloadId, params.number);
        await keep(workload, request, `Back to version ${params.number}`);
        return workload;
      },
    }),
    route({
      method: 'post',
      path: '/workloads/:workloadId/forecast',
      summary: 'What a run of this workload would do, saved or not',
      params: InWorkload,
      body: WorkloadSchema,
      result: ForecastSchema,
      handle: ({ body, request }) => runForecast({ store, environments }, body, askerOf(request).chosen),
    }),
    route({
      method: 'post',
      path: '/workloads/:workloadId/dry-deal',
      summary: 'Who would get which row in the first iterations of a run; no row is taken',
      params: InWorkload,
      body: WorkloadSchema,
      result: z.array(DryIterationSchema),
      handle: async ({ body }) => {
        const { scripts, requestMs } = await planned(body);
        const tables = await store.tables(body.projectId);
        const { iterations, used } = dryDeal(body, scripts, tables, requestMs, dealtDry);
        const rows = new Map<string, LeasedRow[]>();
        for (const [id, count] of used) {
          const table = tables.find((dataTable) => dataTable.id === id);
          if (table) rows.set(id, await new RowDealer(peeking(store), table, 'dry', body.seed).lease(count));
        }
        return iterations.map(({ takes, ...iteration }): DryIteration => ({
          ...iteration,
          takes: takes.map(({ places, ...take }) => ({ ...take, rows: places.flatMap((place) => rows.get(take.table)?.[place] ?? []) })),
        }));
      },
    }),
  ];
};
