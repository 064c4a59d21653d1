import { VersionSchema } from '@sturdy/core';
import * as z from 'zod';
import { notFound } from '../problem/problem.js';
import { keepScript } from '../scripts/keep-script.js';
import { personOf } from './person.js';
import { countedNumber } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import { needScript } from './script-of.js';
import { KeptSchema } from './script-routes.js';
import type { Services } from './services.js';

const InScript = z.object({ scriptId: z.string() });
const InVersion = InScript.extend({ number: countedNumber.positive() });

/** Versions of scripts: who changed what when, each as a text, each to be had back. */
export const versionRoutes = ({ store, compute }: Services): AnyRoute[] => {
  const needVersion = async (scriptId: string, number: number) => {
    const script = await store.scriptAt(scriptId, number);
    if (!script) throw notFound('version', String(number));
    return script;
  };
  return [
    route({
      method: 'get',
      path: '/scripts/:scriptId/versions',
      summary: 'The versions of a script, the newest first: who changed what when',
      params: InScript,
      result: z.array(VersionSchema),
      handle: async ({ params }) => store.scriptVersions((await needScript(store, params.scriptId)).id),
    }),
    route({
      method: 'get',
      path: '/scripts/:scriptId/versions/:number/text',
      summary: 'The text form of a script as it was in a version',
      params: InVersion,
      result: z.object({ text: z.string() }),
      handle: async ({ params }) => ({ text: await compute.writeScript(await needVersion(params.scriptId, params.number)) }),
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/versions/:number/restore',
      summary: 'Have a version back; it becomes the newest one, and nothing of what came after it is lost',
      params: InVersion,
      result: KeptSchema,
      handle: async ({ params, request }) => {
        const script = await needVersion(params.scriptId, params.number);
        return keepScript(store, script, { by: personOf(request), what: `Back to version ${params.number}` });
      },
    }),
  ];
};
