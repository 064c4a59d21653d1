import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { fileName, ImportedProjectSchema, ProjectFileStateSchema, ProjectNameSchema } from '@sturdy/core';
import * as z from 'zod';
import { InProject } from './parameters.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** Projects as files: exported, imported, duplicated, and given the secrets that files do not hold. */
export const projectFileRoutes = ({ environments, projects, projectFiles, fileStates, log, secrets }: Services): AnyRoute[] => [
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
    method: 'get',
    path: '/projects/:projectId/files',
    summary: 'The files of a project with their revisions, for a folder that is kept equal to it',
    params: InProject,
    result: z.array(ProjectFileStateSchema),
    handle: ({ params }) => fileStates.list(params.projectId),
  }),
  route({
    method: 'get',
    path: '/projects/:projectId/files/content',
    summary: 'One file of a project as it is now',
    params: InProject,
    query: z.object({ path: z.string() }),
    produces: 'application/octet-stream',
    handle: async ({ params, query, response }) => {
      const { pieces } = await fileStates.file(params.projectId, query.path);
      response.type('application/octet-stream');
      await pipeline(Readable.from(pieces(), { objectMode: false }), response);
    },
  }),
  route({
    method: 'put',
    path: '/projects/:projectId/files/content',
    summary:
      'Take in the changed text of a file, as a version of what it stands for; refused where the product has changed it meanwhile. Says what all files are then',
    params: InProject,
    query: z.object({ path: z.string(), from: z.string().describe('the revision that was changed') }),
    rawBody: 'text/plain',
    result: z.array(ProjectFileStateSchema),
    handle: ({ params, query, body, request }) =>
      fileStates.put(params.projectId, query.path, query.from, Buffer.isBuffer(body) ? body.toString('utf8') : '', personOf(request)),
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
