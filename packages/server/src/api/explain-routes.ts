import {
  BaselineSchema,
  FindingSchema,
  mostCompared,
  RunComparisonSchema,
  RunSchema,
  TrendSchema,
  whyNoBaseline,
  type MeasuredRun,
  type Run,
} from '@sturdy/core';
import * as z from 'zod';
import { notFound, Problem } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import { RunMaterial } from '../explain/run-material.js';
import type { Services } from './services.js';

const InRun = z.object({ runId: z.string() });
/** Why a run came out as it did: what was noticed in it, its zero line, other runs beside it, and how they went over time. */
export const explainRoutes = ({ store, compute, conductor, samples }: Services): AnyRoute[] => {
  const material = new RunMaterial({ store, compute, samples });
  return [
    route({
      method: 'get',
      path: '/runs/:runId/findings',
      summary: 'What the analysis noticed in a run: sentences with figures, the most important first',
      params: InRun,
      result: z.array(FindingSchema),
      handle: async ({ params }) => {
        const run = await material.need(params.runId);
        return material.findings(run, { frames: await store.frames(run.id), hosts: await material.hosts(run) });
      },
    }),
    route({
      method: 'get',
      path: '/runs/:runId/baseline',
      summary: 'The zero line of a run: what one user alone met; null where no run before it is one',
      params: InRun,
      result: BaselineSchema.nullable(),
      handle: async ({ params }) => material.baseline(await material.need(params.runId)),
    }),
    route({
      method: 'put',
      path: '/runs/:runId/marks',
      summary: 'Mark a run as a baseline, and say which release it played against',
      params: InRun,
      body: z.object({ baseline: z.boolean(), release: z.string().trim().max(80) }),
      result: RunSchema,
      handle: async ({ params, body }) => {
        if (conductor.current?.id === params.runId)
          throw new Problem(409, 'The run is live', 'Wait until it has ended; its marks are stored with it.');
        const { baseline: _baseline, release: _release, ...run } = await material.need(params.runId);
        const why = body.baseline ? whyNoBaseline(run) : null;
        if (why !== null) throw new Problem(422, 'This run is no baseline', why);
        const marked: Run = {
          ...run,
          ...(body.baseline ? { baseline: true } : {}),
          ...(body.release === '' ? {} : { release: body.release }),
        };
        await store.saveRun(marked);
        return marked;
      },
    }),
    route({
      method: 'get',
      path: '/projects/:projectId/compare',
      summary: 'Two to six runs side by side; the first is what the others are set against',
      params: InProject,
      query: z.object({ runs: z.string().max(500).describe('ids of the runs, with commas between them') }),
      result: RunComparisonSchema,
      handle: async ({ params, query }) => {
        const ids = [...new Set(query.runs.split(',').filter((id) => id !== ''))];
        if (ids.length < 2 || ids.length > mostCompared)
          throw new Problem(400, 'Not two to six runs', `Name two to ${mostCompared} different runs, with commas between their ids.`);
        const runs: MeasuredRun[] = [];
        for (const id of ids) {
          const run = await material.need(id);
          if (run.projectId !== params.projectId) throw notFound('run', id);
          runs.push(await material.measured(run));
        }
        return material.compared(runs, params.projectId);
      },
    }),
    route({
      method: 'get',
      path: '/runs/:runId/crews-compared',
      summary: 'The crews of a run side by side, such as places with lines of their own; the first is what the others are set against',
      params: InRun,
      result: RunComparisonSchema,
      handle: async ({ params }) => {
        const run = await material.need(params.runId);
        if (run.workload.crews.length < 2)
          throw new Problem(422, 'One crew alone', 'This run has one crew, so there is nothing to set it against.');
        return compute.compareCrews(await material.measured(run), await store.scripts(run.projectId));
      },
    }),
    route({
      method: 'get',
      path: '/workloads/:workloadId/trend',
      summary: 'Each transaction over the runs of a workload: p95 with its interval, and the first run that is worse than chance',
      params: z.object({ workloadId: z.string() }),
      result: TrendSchema,
      handle: async ({ params }) => {
        const workload = await store.workload(params.workloadId);
        if (!workload) throw notFound('workload', params.workloadId);
        return material.trend(workload);
      },
    }),
  ];
};
