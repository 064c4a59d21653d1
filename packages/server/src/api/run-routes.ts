import {
  HostSeriesSchema,
  failuresCsv,
  junitOf,
  LanePointSchema,
  runCsv,
  runFile,
  RunResultSchema,
  RunSchema,
  RunTableBySchema,
  RunTableSchema,
  SamplePageSchema,
  SampleQuerySchema,
  SamplesKeptSchema,
  UserFiguresSchema,
  UserLogEntrySchema,
  UserStateSchema,
  type Run,
} from '@sturdy/core';
import * as z from 'zod';
import { notFound } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { askerOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import { RunMaterial } from '../explain/run-material.js';
import type { Services } from './services.js';
import { RunStarter } from '../workloads/run-starter.js';

const InRun = z.object({ runId: z.string() });

/** Runs: start, watch, end, read. */
export const runRoutes = ({ store, environments, compute, conductor, live, samples, secrets }: Services): AnyRoute[] => {
  const need = async (id: string): Promise<Run> => {
    // What happened to a live run may wait to be stored, where the disk is full.
    const run = conductor.current?.id === id ? conductor.current : await store.run(id);
    if (!run) throw notFound('run', id);
    return run;
  };
  const material = new RunMaterial({ store, compute, samples });
  const starter = new RunStarter({ store, environments, compute, conductor });
  return [
    route({
      method: 'post',
      path: '/workloads/:workloadId/run',
      summary: 'Start a run of a workload',
      params: z.object({ workloadId: z.string() }),
      result: RunSchema,
      handle: async ({ params, request }) => {
        const workload = await store.workload(params.workloadId);
        if (!workload) throw notFound('workload', params.workloadId);
        return starter.start(workload, askerOf(request));
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
        return (await material.measured(await need(params.runId))).result;
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
      path: '/runs/:runId/table/:by',
      summary: 'The figures of a run for each crew, generator or phase',
      params: InRun.extend({ by: RunTableBySchema }),
      result: RunTableSchema,
      handle: async ({ params }) => {
        const run = await need(params.runId);
        return compute.runTable(run, await store.frames(run.id), await store.scripts(run.projectId), params.by);
      },
    }),
    route({
      method: 'get',
      path: '/runs/:runId/samples',
      summary: 'Single requests of a run: figures of all that match, and a page of them; null where none are kept',
      params: InRun,
      query: SampleQuerySchema,
      result: SamplePageSchema.extend(SamplesKeptSchema.shape).nullable(),
      handle: async ({ params, query }) => compute.samples(samples.path((await need(params.runId)).id), query),
    }),
    route({
      method: 'get',
      path: '/runs/:runId/users',
      summary: 'The figures of each virtual user, out of the samples that match',
      params: InRun,
      query: SampleQuerySchema,
      result: z.array(UserFiguresSchema),
      handle: async ({ params, query }) => compute.sampledUsers(samples.path((await need(params.runId)).id), query),
    }),
    route({
      method: 'get',
      path: '/runs/:runId/rows-used',
      summary: 'How many rows of each data table a run spent',
      params: InRun,
      result: z.array(z.object({ table: z.string(), rows: z.number().int() })),
      handle: async ({ params }) => {
        const run = await need(params.runId);
        const tables = await store.tables(run.projectId);
        const counted = await Promise.all(
          tables.map(async ({ id, name }) => ({ table: name, rows: await store.countSpent(id, `run ${run.number}`) })),
        );
        return counted.filter((count) => count.rows > 0);
      },
    }),
    ...(['json', 'csv', 'xml'] as const).map((format) =>
      route({
        method: 'get',
        path: `/runs/:runId/result.${format}`,
        summary: {
          json: 'A run as JSON, as the command line writes it',
          csv: 'Its transactions and steps as CSV (RFC 4180)',
          xml: 'Its verdict as JUnit XML',
        }[format],
        params: InRun,
        produces: { json: 'application/json', csv: 'text/csv', xml: 'application/xml' }[format],
        handle: async ({ params, response }) => {
          const run = await need(params.runId);
          const measured = await material.measured(run);
          const { result, frames } = measured;
          const text = {
            json: async () => JSON.stringify(runFile(result, await compute.lanes(frames), await material.findings(run, measured)), null, 2),
            csv: () => Promise.resolve(runCsv(result)),
            xml: () => Promise.resolve(junitOf(result)),
          }[format];
          response.attachment(`run-${run.number}.${format}`).send(await text());
        },
      }),
    ),
    route({
      method: 'get',
      path: '/runs/:runId/failures.csv',
      summary: 'The failures of a run, grouped by code, as CSV (RFC 4180)',
      params: InRun,
      produces: 'text/csv',
      handle: async ({ params, response }) => {
        const run = await need(params.runId);
        const { result } = await material.measured(run);
        response.attachment(`run-${run.number}-failures.csv`).send(failuresCsv(result));
      },
    }),
    route({
      method: 'get',
      path: '/runs/:runId/hosts',
      summary: 'The figures of the hosts that were watched during a run; gaps are null',
      params: InRun,
      result: z.array(HostSeriesSchema),
      handle: async ({ params }) => {
        return material.hosts(await need(params.runId));
      },
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
    ...(['pause', 'resume'] as const).map((order) =>
      route({
        method: 'post',
        path: `/runs/:runId/${order}`,
        summary: { pause: 'Let nobody begin an iteration until the run goes on', resume: 'Let a paused run go on' }[order],
        params: InRun,
        result: z.object({}),
        handle: ({ params }) => {
          conductor.need(params.runId)[order]();
          return {};
        },
      }),
    ),
    route({
      method: 'get',
      path: '/runs/:runId/users-now',
      summary: 'What each virtual user of a live run is doing; none where it has ended',
      params: InRun,
      result: z.array(UserStateSchema),
      handle: ({ params }) => conductor.users(params.runId),
    }),
    route({
      method: 'get',
      path: '/runs/:runId/captured',
      summary: 'What was captured in full of users of a run; what is known to be secret is masked',
      params: InRun,
      result: z.array(UserLogEntrySchema),
      handle: async ({ params }) => {
        const { id, projectId } = await need(params.runId);
        const takes = (await store.scripts(projectId)).map((script) => script.takeId);
        return (await secrets.of(projectId, takes)).hideIn(await samples.captured(id));
      },
    }),
    route({
      method: 'post',
      path: '/runs/:runId/watch',
      summary: 'Tell each request of a virtual user as it comes, and capture it in full where that is wanted',
      params: InRun,
      body: z.object({ user: z.number().int().min(1), captures: z.boolean().default(false) }),
      result: z.object({}),
      handle: ({ params, body }) => {
        conductor.need(params.runId).watch(body.user, body.captures);
        return {};
      },
    }),
    route({
      method: 'post',
      path: '/runs/:runId/next-phase',
      summary: 'Pass over what is left of the phase of the curve that is played',
      params: InRun,
      result: z.object({}),
      handle: ({ params }) => {
        conductor.need(params.runId).nextPhase();
        return {};
      },
    }),
    route({
      method: 'post',
      path: '/runs/:runId/users',
      summary: 'Let users come to a crew, or go home after their iteration, until it has so many',
      params: InRun,
      body: z.object({ crew: z.string(), users: z.number().int().min(0).max(20_000) }),
      result: z.object({}),
      handle: ({ params, body }) => {
        conductor.need(params.runId).changeUsers(body.crew, body.users);
        return {};
      },
    }),
    route({
      method: 'post',
      path: '/runs/:runId/notes',
      summary: 'Put a note on the time axis of a run',
      params: InRun,
      body: z.object({ text: z.string().trim().min(1, 'Write something first.').max(200) }),
      result: z.object({}),
      handle: ({ params, body }) => {
        conductor.need(params.runId).note(body.text);
        return {};
      },
    }),
    route({
      method: 'post',
      path: '/runs/:runId/finish',
      summary: 'Let the users finish what they are at, then end the run',
      params: InRun,
      result: z.object({}),
      handle: ({ params }) => {
        conductor.need(params.runId).finish('It was finished by hand before its planned end.');
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
        await conductor.need(params.runId).abort();
        return {};
      },
    }),
  ];
};
