import {
  FailureSignSchema,
  makeBoard,
  BoardSchema,
  ProjectSettingsSchema,
  type Rehearsal,
  type HeldSign,
  LiveStateSchema,
  DamagedSchema,
  HeldSignSchema,
} from '@sturdy/core';
import * as z from 'zod';
import { notFound } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

const ProjectSchema = z.object({ id: z.string(), name: z.string() });

/** Takes on which a failure sign is tried, the newest, and answers that are told. */
const mostTried = 5;
const mostHeld = 20;

const InDamaged = DamagedSchema.pick({ kind: true });
/** The id may hold a slash, so it stands in the query. */
const OneDamaged = z.object({ id: z.string() });

/** Projects, their settings and the board. */
export const projectRoutes = ({ store, recorder, conductor, compute }: Services): AnyRoute[] => [
  route({ method: 'get', path: '/projects', summary: 'All projects', result: z.array(ProjectSchema), handle: () => store.projects() }),
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
      const [takes, scripts, tables, workloads, runs] = await Promise.all([
        store.takes(params.projectId),
        store.scripts(params.projectId),
        store.tables(params.projectId),
        store.workloads(params.projectId),
        store.runs(params.projectId),
      ]);
      const rehearsals = new Map<string, Rehearsal[]>();
      for (const script of scripts) rehearsals.set(script.id, await store.rehearsals(script.id));
      return makeBoard({ takes, scripts, tables, rehearsals, workloads, runs });
    },
  }),
];
