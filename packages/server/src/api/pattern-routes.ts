import {
  HandoffPatternSchema,
  PatternFindSchema,
  patternsOf,
  publishedPatterns,
  writePatterns,
  type HandoffPattern,
  ListedPatternSchema,
} from '@sturdy/core';
import * as z from 'zod';
import { Problem } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import { needTake } from './script-of.js';
import type { Services } from './services.js';

const InPattern = InProject.extend({ patternId: z.string() });
/** A pattern, and whether it ships with the product, and whether the project changed it. */

/** Handoff patterns: data that says what is known of values by their names; shipped, changed, added, exported, imported. */
export const patternRoutes = ({ store, compute }: Services): AnyRoute[] => {
  const shipped = new Set(publishedPatterns.map((publishedPattern) => publishedPattern.id));
  const listed = async (projectId: string): Promise<z.infer<typeof ListedPatternSchema>[]> => {
    const patterns = await store.ownPatterns(projectId);
    const changed = new Set(patterns.map((pattern) => pattern.id));
    return patternsOf(patterns).map((pattern) => ({ ...pattern, shipped: shipped.has(pattern.id), changed: changed.has(pattern.id) }));
  };
  /** Throws a problem where an expression of the pattern is not valid. */
  const checked = async (pattern: HandoffPattern): Promise<HandoffPattern> => {
    const problem = await compute.patternProblem(pattern);
    if (problem !== null) throw new Problem(422, 'The pattern cannot be used', problem);
    return pattern;
  };
  return [
    route({
      method: 'get',
      path: '/projects/:projectId/patterns',
      summary: 'The handoff patterns of a project, shipped ones first',
      params: InProject,
      result: z.array(ListedPatternSchema),
      handle: ({ params }) => listed(params.projectId),
    }),
    route({
      method: 'put',
      path: '/projects/:projectId/patterns/:patternId',
      summary: 'Add a handoff pattern, or change one; a shipped one is changed for this project only',
      params: InPattern,
      body: HandoffPatternSchema,
      result: z.array(ListedPatternSchema),
      handle: async ({ params, body }) => {
        await store.savePatterns(params.projectId, [await checked({ ...body, id: params.patternId })]);
        return listed(params.projectId);
      },
    }),
    route({
      method: 'delete',
      path: '/projects/:projectId/patterns/:patternId',
      summary: 'Delete a pattern of the project; a shipped one is put back as it was shipped',
      params: InPattern,
      result: z.array(ListedPatternSchema),
      handle: async ({ params }) => {
        await store.deletePattern(params.projectId, params.patternId);
        return listed(params.projectId);
      },
    }),
    route({
      method: 'get',
      path: '/projects/:projectId/patterns.yaml',
      summary: 'The handoff patterns of a project as a file',
      params: InProject,
      produces: 'application/yaml',
      handle: async ({ params, response }) => {
        response
          .type('application/yaml')
          .attachment('handoff-patterns.yaml')
          .send(writePatterns(patternsOf(await store.ownPatterns(params.projectId))));
      },
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/patterns/import-file',
      summary: 'Bring in patterns from a file, YAML or JSON; those with an id that is there already replace it',
      params: InProject,
      body: z.object({ text: z.string() }),
      result: z.object({ list: z.array(ListedPatternSchema), count: z.number().int() }),
      handle: async ({ params, body }) => {
        const read = await compute.readPatterns(body.text);
        if ('problems' in read) {
          const told = read.problems.slice(0, 3).map(({ line, column, message }) => `Line ${line}, column ${column}: ${message}`);
          throw new Problem(422, 'The patterns could not be read', `${told.join(' ')} Nothing was changed.`);
        }
        // What is as it was shipped needs no copy of its own.
        const asShipped = new Map(publishedPatterns.map((publishedPattern) => [publishedPattern.id, JSON.stringify(publishedPattern)]));
        await store.savePatterns(
          params.projectId,
          read.list.filter((pattern) => asShipped.get(pattern.id) !== JSON.stringify(pattern)),
        );
        return { list: await listed(params.projectId), count: read.list.length };
      },
    }),
    route({
      method: 'post',
      path: '/takes/:takeId/pattern-preview',
      summary: 'What a pattern would find in a take; nothing is saved',
      params: z.object({ takeId: z.string() }),
      body: HandoffPatternSchema,
      result: z.array(PatternFindSchema),
      handle: async ({ params, body }) => {
        return compute.previewPattern(await needTake(store, params.takeId), await checked(body));
      },
    }),
  ];
};
