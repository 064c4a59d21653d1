import {
  FailureSignSchema,
  makeBoard,
  BoardSchema,
  ProjectNameSchema,
  ProjectSchema,
  ProjectSettingsSchema,
  ProjectSummarySchema,
  type Rehearsal,
  type HeldSign,
  LiveStateSchema,
  DamagedSchema,
  HeldSignSchema,
} from '@sturdy/core';
import type { RequestHandler } from 'express';
import * as z from 'zod';
import { notFound, Problem } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** Takes on which a failure sign is tried, the newest, and answers that are told. */
const mostTried = 5;
const mostHeld = 20;

const InDamaged = DamagedSchema.pick({ kind: true });
/** The id may hold a slash, so it stands in the query. */
const OneDamaged = z.object({ id: z.string() });

/** Answers that a project is not there, or deleted, before anything is done in it. */
export const needOpenProject =
  ({ projects }: Pick<Services, 'projects'>): RequestHandler<{ projectId: string }> =>
  async (request, _response, next) => {
    const { name, state } = await projects.need(request.params.projectId);
    if (state === 'deleted')
      throw new Problem(409, 'The project is deleted', `“${name}” was deleted. Have it back in the list of projects, and go on then.`);
    next();
  };

/** Projects, their settings and the board. */
export const projectRoutes = ({ store, projects, recorder, conductor, compute }: Services): AnyRoute[] => [
  route({
    method: 'get',
    path: '/projects',
    summary: 'All projects, and what is known of each; those that wait to be deleted for good among them',
    result: z.array(ProjectSummarySchema),
    handle: () => store.projectSummaries(),
  }),
  route({
    method: 'post',
    path: '/projects',
    summary: 'Make an empty project, with one environment that may hit this machine',
    body: z.object({ name: ProjectNameSchema, targets: z.array(z.string().max(2000)).max(100).default([]) }),
    result: ProjectSchema,
    handle: ({ body }) => projects.add(body.name, body.targets),
  }),
  route({
    method: 'get',
    path: '/projects/:projectId',
    summary: 'A project: its name, and whether it is in use, put aside or deleted',
    params: InProject,
    result: ProjectSchema,
    handle: ({ params }) => projects.need(params.projectId),
  }),
  route({
    method: 'put',
    path: '/projects/:projectId',
    summary: 'Name a project anew, archive or delete it, or have it back',
    params: InProject,
    body: ProjectSchema.omit({ id: true }).extend({ name: ProjectNameSchema }),
    result: ProjectSchema,
    handle: ({ params, body }) => projects.change(params.projectId, body),
  }),
  route({
    method: 'delete',
    path: '/projects/:projectId',
    summary: 'Delete a project that was deleted before for good, with all that is in it',
    params: InProject,
    result: z.object({}),
    handle: async ({ params }) => {
      await projects.remove(params.projectId);
      return {};
    },
  }),
  route({
    method: 'get',
    path: '/live',
    summary: 'What is live: the recording and the run, and whether the database answers',
    result: LiveStateSchema,
    handle: () => ({ recording: recorder.current, run: conductor.current, databaseAway: store.away }),
  }),
  route({
    method: 'get',
    path: '/projects/:projectId/settings',
    summary: 'What holds for everything in a project: its failure signs',
    params: InProject,
    result: ProjectSettingsSchema,
    handle: ({ params }) => store.projectSettings(params.projectId),
  }),
  route({
    method: 'put',
    path: '/projects/:projectId/settings',
    summary: 'Change what holds for everything in a project',
    params: InProject,
    body: ProjectSettingsSchema,
    result: ProjectSettingsSchema,
    handle: async ({ params, body }) => {
      await store.saveProjectSettings(params.projectId, body);
      return body;
    },
  }),
  route({
    method: 'post',
    path: '/projects/:projectId/try-failure-sign',
    summary: 'The recorded answers that hold a failure sign: in a good take there is none',
    params: InProject,
    body: FailureSignSchema,
    result: z.array(HeldSignSchema),
    handle: async ({ params, body }) => {
      const held: HeldSign[] = [];
      for (const { id, name } of (await store.takes(params.projectId)).slice(-mostTried)) {
        const stored = await store.loadTake(id);
        if (stored) held.push(...(await compute.heldBy(stored, body, mostHeld)).map((holding) => ({ takeId: id, take: name, ...holding })));
      }
      return held.slice(0, mostHeld);
    },
  }),
  route({
    method: 'get',
    path: '/damaged',
    summary: 'Documents that an older version or a fault left such that they cannot be read; nothing else is held up by them',
    result: z.array(DamagedSchema),
    handle: () => store.damaged(),
  }),
  route({
    method: 'get',
    path: '/damaged/:kind',
    summary: 'A damaged document as it is stored, to be kept or looked at',
    params: InDamaged,
    query: OneDamaged,
    produces: 'application/json',
    handle: async ({ params, query, response }) => {
      const doc = await store.damagedDocument(params.kind, query.id);
      if (doc === null) throw notFound('damaged document', query.id);
      response.attachment(`damaged-${params.kind}.json`).json(doc);
    },
  }),
  route({
    method: 'delete',
    path: '/damaged/:kind',
    summary: 'Delete a damaged document',
    params: InDamaged,
    query: OneDamaged,
    result: z.object({}),
    handle: async ({ params, query }) => {
      if (!(await store.deleteDamaged(params.kind, query.id))) throw notFound('damaged document', query.id);
      return {};
    },
  }),
  route({
    method: 'get',
    path: '/projects/:projectId/board',
    summary: 'The project at a glance, and what to do next',
    params: InProject,
    result: BoardSchema,
    handle: async ({ params }) => {
      const [takes, scripts, tables, workloads, runs, brief, starts] = await Promise.all([
        store.takes(params.projectId),
        store.scripts(params.projectId),
        store.tables(params.projectId),
        store.workloads(params.projectId),
        store.runs(params.projectId),
        store.brief(params.projectId),
        store.scheduledStarts(params.projectId),
      ]);
      const rehearsals = new Map<string, Rehearsal[]>();
      for (const script of scripts) rehearsals.set(script.id, await store.rehearsals(script.id));
      return makeBoard({ takes, scripts, tables, rehearsals, workloads, runs, brief, starts });
    },
  }),
];
