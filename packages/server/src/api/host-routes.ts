import { offeredFigures, ShownFigureSchema, HostNowSchema } from '@sturdy/core';
import type { Request } from 'express';
import * as z from 'zod';
import type { Reach } from '../environments/reach.js';
import { askHost, HostReader } from '../hosts/host-reader.js';
import { Problem } from '../problem/problem.js';
import { askerOf } from './person.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** Hosts: what they show now, and what they offer. The watches themselves are settings of the project. */
export const hostRoutes = ({ store, environments }: Services): AnyRoute[] => {
  // Rates need the reading before, whoever asked for it.
  const readers = new Map<string, HostReader>();
  const reachOf = async (projectId: string, request: Request): Promise<Reach> => ({
    environment: await environments.inUse(projectId, askerOf(request).chosen),
    lookup: environments.lookup,
  });
  return [
    route({
      method: 'get',
      path: '/projects/:projectId/hosts/now',
      summary: 'The figures of all watched hosts now; rates are since the last time that somebody asked',
      params: InProject,
      result: z.array(HostNowSchema),
      handle: async ({ params, request }) => {
        const { watches } = await store.projectSettings(params.projectId);
        const reader = readers.get(params.projectId) ?? new HostReader();
        readers.set(params.projectId, reader);
        const reach = await reachOf(params.projectId, request);
        return Promise.all(watches.map(async (watch) => ({ watch: watch.id, ...(await reader.read(watch, reach)) })));
      },
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/hosts/ask',
      summary: 'The figures that an address offers as OpenMetrics text, as one would show them',
      params: InProject,
      body: z.object({ url: z.string() }),
      result: z.object({ offered: z.array(ShownFigureSchema), problems: z.array(z.object({ line: z.number(), text: z.string() })) }),
      handle: async ({ params, body, request }) => {
        const reach = await reachOf(params.projectId, request);
        const read = await askHost(body.url, reach).catch((error: unknown) => {
          throw new Problem(422, 'The host gave no figures', error instanceof Error ? error.message : String(error));
        });
        return { offered: offeredFigures(read), problems: read.problems.slice(0, 20) };
      },
    }),
  ];
};
