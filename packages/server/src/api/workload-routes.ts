import { randomUUID } from 'node:crypto';
import { forecast, WorkloadSchema, type Exchange, type Workload } from '@sturdy/core';
import * as z from 'zod';
import { notFound } from '../problem.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

const InWorkload = z.object({ workloadId: z.string() });
export const ForecastSchema = z.object({
  seconds: z.number(),
  users: z.number(),
  iterations: z.number(),
  requests: z.number(),
  crews: z.array(z.object({ crew: z.string(), iterations: z.number(), requests: z.number(), iterationSeconds: z.number() })),
  tables: z.array(z.object({ table: z.string(), rowsNeeded: z.number(), rowsFree: z.number(), emptyAtSeconds: z.number().nullable() })),
  obstacles: z.array(z.string()),
  warnings: z.array(z.string()),
});

/** Workloads and their forecast. */
export const workloadRoutes = ({ store }: Services): AnyRoute[] => {
  const need = async (id: string): Promise<Workload> => {
    const workload = await store.workload(id);
    if (!workload) throw notFound('workload', id);
    return workload;
  };
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
      handle: async ({ params, body }) => {
        const workload: Workload = { ...body, id: randomUUID(), projectId: params.projectId };
        await store.saveWorkload(workload);
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
      handle: async ({ params, body }) => {
        const known = await need(params.workloadId);
        const workload = { ...body, id: known.id, projectId: known.projectId };
        await store.saveWorkload(workload);
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
      method: 'post',
      path: '/workloads/:workloadId/forecast',
      summary: 'What a run of this workload would do, saved or not',
      params: InWorkload,
      body: WorkloadSchema,
      result: ForecastSchema,
      handle: async ({ body }) => {
        const scripts = new Map((await store.scripts(body.projectId)).map((one) => [one.id, one]));
        const durations = new Map<string, Map<number, number>>();
        for (const crew of body.crews) {
          const script = scripts.get(crew.scriptId);
          if (script && !durations.has(script.id))
            durations.set(script.id, new Map((await store.exchanges(script.takeId)).map((one: Exchange) => [one.n, one.durationMs])));
        }
        return forecast(
          body,
          scripts,
          await store.tables(body.projectId),
          (script, exchange) => durations.get(script.id)?.get(exchange) ?? 0,
        );
      },
    }),
  ];
};
