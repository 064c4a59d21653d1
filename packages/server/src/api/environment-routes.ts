import { ClearingSchema, EnvironmentSchema, hideSecrets, HistoryEntrySchema, LookedUpTargetSchema } from '@sturdy/core';
import * as z from 'zod';
import { InProject } from './parameters.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

const InEnvironment = InProject.extend({ environmentId: z.string() });
const Target = z.object({ origin: z.string().min(1).max(2000) });
/** Entries of a history that are given at once. */
const mostEntries = 500;

/** Environments, who cleared their targets, and the history of that. */
export const environmentRoutes = ({ store, environments, log, secrets }: Services): AnyRoute[] => [
  route({
    method: 'get',
    path: '/projects/:projectId/environments',
    summary: 'The environments of a project; of their secrets only whether there is one',
    params: InProject,
    result: z.array(EnvironmentSchema),
    handle: async ({ params }) => (await store.environments(params.projectId)).map(hideSecrets),
  }),
  route({
    method: 'post',
    path: '/projects/:projectId/environments',
    summary: 'Add an environment: an empty one, or a copy of another, which has its secrets and none of its clearances',
    params: InProject,
    body: z.object({ name: z.string().trim().min(1, 'Give the environment a name.').max(80), copyOf: z.string().optional() }),
    result: EnvironmentSchema,
    handle: async ({ params, body }) => hideSecrets(await environments.add(params.projectId, body.name, body.copyOf)),
  }),
  route({
    method: 'delete',
    path: '/projects/:projectId/environments/:environmentId',
    summary: 'Delete an environment with its secrets; the last one stays',
    params: InEnvironment,
    result: z.object({}),
    handle: async ({ params, request }) => {
      await environments.remove(params.projectId, params.environmentId, personOf(request));
      return {};
    },
  }),
  route({
    method: 'put',
    path: '/projects/:projectId/environments/:environmentId',
    summary:
      'Change an environment: its targets, its map of recorded to real origins, how connections sign in. Clearances stay as they are',
    params: InEnvironment,
    body: EnvironmentSchema,
    result: EnvironmentSchema,
    handle: async ({ params, body, request }) => {
      const given = { ...body, id: params.environmentId, projectId: params.projectId };
      const environment = await environments.save(given, personOf(request));
      log.mask(await secrets.of(params.projectId, []), params.projectId);
      return hideSecrets(environment);
    },
  }),
  route({
    method: 'get',
    path: '/projects/:projectId/look-up',
    summary: 'Where a target beyond this machine leads, and whether it can be cleared; nothing is sent to it',
    params: InProject,
    query: Target,
    result: LookedUpTargetSchema,
    handle: ({ query }) => environments.lookUp(query.origin),
  }),
  route({
    method: 'post',
    path: '/projects/:projectId/environments/:environmentId/clearances',
    summary: 'Clear a target beyond this machine: who allows it, what for, until when, and up to how much',
    params: InEnvironment,
    body: ClearingSchema,
    result: EnvironmentSchema,
    handle: async ({ params, body, request }) =>
      hideSecrets(await environments.clear(params.projectId, params.environmentId, body, personOf(request))),
  }),
  route({
    method: 'delete',
    path: '/projects/:projectId/environments/:environmentId/clearances',
    summary: 'Take the clearance of a target back; what is under way goes on',
    params: InEnvironment,
    query: Target,
    result: EnvironmentSchema,
    handle: async ({ params, query, request }) =>
      hideSecrets(await environments.withdraw(params.projectId, params.environmentId, query.origin, personOf(request))),
  }),
  route({
    method: 'get',
    path: '/projects/:projectId/history',
    summary: 'Who cleared which target, who took that back, and what made use of it; the newest first',
    params: InProject,
    result: z.array(HistoryEntrySchema),
    handle: ({ params }) => store.history(params.projectId, mostEntries),
  }),
];
