import { fileName, ImportedProjectSchema, ProjectNameSchema } from '@sturdy/core';
import * as z from 'zod';
import { InProject } from './parameters.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** Projects as files: exported, imported, duplicated, and given the secrets that files do not hold. */
export const projectFileRoutes = ({ environments, projects, projectFiles, log, secrets }: Services): AnyRoute[] => [
  route({
    method: 'get',
    path: '/projects/:projectId/export',
    summary: 'A whole project as a zip of open files; secrets of its environments stay out, what was recorded is as it was recorded',
    params: InProject,
    produces: 'application/zip',
    handle: async ({ params, response }) => {
      const { name } = await projects.need(params.projectId);
      response.attachment(fileName(name, '.zip', new Set())).type('application/zip');
      await projectFiles.writeZip(params.projectId, response);
    },
  }),
  route({
    method: 'post',
    path: '/projects/import',
    summary: 'Make a project of a zip that was exported; says which secrets it needs, and which targets have to be cleared again',
    query: z.object({ name: ProjectNameSchema.optional() }),
    streamBody: 'application/zip',
    result: ImportedProjectSchema,
    handle: ({ query, request }) => projectFiles.importZip(request, personOf(request), query.name),
  }),
  route({
    method: 'post',
    path: '/projects/:projectId/duplicate',
    summary: 'Copy a project with all that is in it but its clearances',
    params: InProject,
    body: z.object({ name: ProjectNameSchema }),
    result: ImportedProjectSchema,
    handle: ({ params, body, request }) => projectFiles.duplicate(params.projectId, body.name, personOf(request)),
  }),
  route({
    method: 'put',
    path: '/projects/:projectId/missing-secrets',
    summary: 'Give secrets that files did not hold, each by its name; says which are still missing, by environment',
    params: InProject,
    body: z.record(z.string(), z.string().max(100_000)),
    result: ImportedProjectSchema.shape.missing,
    handle: async ({ params, body }) => {
      const left = await environments.giveSecrets(params.projectId, (name) => (Object.hasOwn(body, name) ? body[name] : undefined));
      log.mask(await secrets.of(params.projectId, []), params.projectId);
      return left;
    },
  }),
];
