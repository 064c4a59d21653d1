import { offeredFigures, ShownFigureSchema, HostNowSchema } from '@sturdy/core';
import * as z from 'zod';
import { askHost, HostReader } from '../hosts/host-reader.js';
import { Problem } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** Hosts: what they show now, and what they offer. The watches themselves are settings of the project. */
export const hostRoutes = ({ store, environments }: Services): AnyRoute[] => {
  // Rates need the reading before, whoever asked for it.
  const readers = new Map<string, HostReader>();
  return [
    route({
      method: 'get',
      path: '/projects/:projectId/hosts/now',
      summary: 'The figures of all watched hosts now; rates are since the last time that somebody asked',
      params: InProject,
      result: z.array(HostNowSchema),
      handle: async ({ params }) => {
        const { watches } = await store.projectSettings(params.projectId);
        const reader = readers.get(params.projectId) ?? new HostReader();
        readers.set(params.projectId, reader);
        const reach = { environment: await environments.inUse(params.projectId), lookup: environments.lookup };
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
      handle: async ({ params, body }) => {
        const reach = { environment: await environments.inUse(params.projectId), lookup: environments.lookup };
        const read = await askHost(body.url, reach).catch((error: unknown) => {
          throw new Problem(422, 'The host gave no figures', error instanceof Error ? error.message : String(error));
        });
        return { offered: offeredFigures(read), problems: read.problems.slice(0, 20) };
      },
    }),
  ];
};
