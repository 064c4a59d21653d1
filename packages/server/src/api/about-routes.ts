import { AboutSchema, BackupSchema } from '@sturdy/core';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

/** What an administrator asks about this server. */
export const aboutRoutes = ({ about, backups }: Services): AnyRoute[] => [
  route({
    method: 'get',
    path: '/about',
    summary: 'Version, health and sizes of this server, what its last stop interrupted, and its last warnings',
    result: AboutSchema,
    handle: () => about.tell(),
  }),
  route({
    method: 'post',
    path: '/backups',
    summary: 'Back up all projects with their samples and keys into a file on the machine of the server, while it goes on working',
    result: BackupSchema,
    handle: () => backups.make(),
  }),
];
