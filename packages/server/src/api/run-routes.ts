import { LanePointSchema, RunResultSchema, RunSchema, type Run } from '@sturdy/core';
import * as z from 'zod';
import { notFound } from '../problem.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import { playedIn } from './script-of.js';
import type { Services } from './services.js';

const InRun = z.object({ runId: z.string() });

/** Runs: start, watch, end, read. */
export const runRoutes = ({ store, compute, conductor, live }: Services): AnyRoute[] => {
  const need = async (id: string): Promise<Run> => {
    const run = await store.run(id);
    if (!run) throw notFound('run', id);
    return run;
  };
  return [
    route({
      method: 'post',
      path: '/workloads/:workloadId/run',
      summary: 'Start a run of a workload',
      params: z.object({ workloadId: z.string() }),
      result: RunSchema,
      handle: async ({ params }) => {
        const workload = await store.workload(params.workloadId);
        if (!workload) throw notFound('workload', params.workloadId);
        return conductor.start(workload, await playedIn(store, workload.projectId));
      },
    }),
    route({
      method: 'get',
      path: '/projects/:projectId/runs',
      summary: 'The runs of a project, newest first',
      params: InProject,
      result: z.array(RunSchema),
      handle: ({ params }) => store.runs(params.projectId),
    }),
    route({
      method: 'get',
      path: '/runs/:runId',
      summary: 'A run with its figures, its verdict and its signs of trust',
      params: InRun,
      result: RunResultSchema,
      handle: async ({ params }) => {
        const run = await need(params.runId);
        return compute.runResult(run, await store.frames(run.id), await store.scripts(run.projectId));
      },
    }),
    route({
      method: 'get',
      path: '/runs/:runId/lanes',
      summary: 'The lanes of a run, one point a second',
      params: InRun,
      result: z.array(LanePointSchema),
      handle: async ({ params }) => compute.lanes(await store.frames((await need(params.runId)).id)),
    }),
    route({
      method: 'get',
      path: '/runs/:runId/live',
      summary: 'A run as it goes (server-sent events)',
      params: InRun,
      produces: 'text/event-stream',
      handle: ({ params, response }) => {
        live.listen(params.runId, response);
      },
    }),
    route({
      method: 'post',
      path: '/runs/:runId/finish',
      summary: 'Let the users finish what they are at, then end the run',
      params: InRun,
      result: z.object({}),
      handle: ({ params }) => {
        conductor.finish(params.runId, 'It was finished by hand before its planned end.');
        return {};
      },
    }),
    route({
      method: 'post',
      path: '/runs/:runId/abort',
      summary: 'Stop the run at once',
      params: InRun,
      result: z.object({}),
      handle: async ({ params }) => {
        await conductor.abort(params.runId);
        return {};
      },
    }),
  ];
};
