import { AboutSchema } from '@sturdy/core';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** What an administrator asks about this server. */
export const aboutRoutes = ({ about }: Services): AnyRoute[] => [
  route({
    method: 'get',
    path: '/about',
    summary: 'Version, health and sizes of this server, what its last stop interrupted, and its last warnings',
    result: AboutSchema,
    handle: () => about.tell(),
  }),
];
