import { CheckSchema, CheckSuggestionSchema, CodeStepSchema, TriedCheckSchema, type Script, TriedCodeSchema } from '@sturdy/core';
import * as z from 'zod';
import type { StoredRehearsal } from '../compute/stored-rehearsal.js';
import { storedRehearsal } from '../compute/stored-rehearsal.js';
import { route, type AnyRoute } from './route.js';
import { needScript, needTake } from './script-of.js';
import type { Services } from './services.js';

const InScript = z.object({ scriptId: z.string() });
/** Rehearsals on which checks are tried, the newest. */
const mostRehearsals = 3;

/** Checks and code: proposed, and tried on everything recorded and replayed, without a rehearsal. */
export const checkRoutes = ({ store, compute }: Services): AnyRoute[] => {
  const played = async (script: Script, wanted?: string): Promise<StoredRehearsal[]> => {
    const newest = (await store.rehearsals(script.id)).slice(0, mostRehearsals);
    return Promise.all(newest.map((rehearsal) => storedRehearsal(store, rehearsal, ({ step }) => wanted === undefined || step === wanted)));
  };
  const takesOf = async (script: Script) => ({
    take: await needTake(store, script.takeId),
    second: script.secondTakeId === null ? null : ((await store.loadTake(script.secondTakeId)) ?? null),
  });
  return [
    route({
      method: 'get',
      path: '/scripts/:scriptId/check-suggestions',
      summary: 'Checks worth making, each of which holds on every good answer of the takes and the newest rehearsals',
      params: InScript,
      result: z.array(CheckSuggestionSchema),
      handle: async ({ params }) => {
        const script = await needScript(store, params.scriptId);
        const { take, second } = await takesOf(script);
        return compute.suggestChecks(script, take, second, await played(script));
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/try-check',
      summary: 'Try a check on every answer of its step, recorded and replayed; nothing is changed',
      params: InScript,
      body: z.object({ step: z.string(), check: CheckSchema }),
      result: z.object({ tried: z.array(TriedCheckSchema), problem: z.string().nullable() }),
      handle: async ({ params, body }) => {
        const script = await needScript(store, params.scriptId);
        const { take, second } = await takesOf(script);
        return compute.tryCheck(script, take, second, await played(script), body.step, body.check);
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/try-code',
      summary: 'Run the code of a step on the answer before it, recorded and last replayed; nothing is sent or changed',
      params: InScript,
      body: CodeStepSchema.pick({ source: true, timeMs: true, memoryMb: true }).extend({ after: z.string().nullable() }),
      result: z.array(TriedCodeSchema),
      handle: async ({ params, body: { after, ...code } }) => {
        const script = await needScript(store, params.scriptId);
        const [last] = await played(script, after ?? '');
        return compute.tryCode(script, await needTake(store, script.takeId), last ?? null, after, code);
      },
    }),
  ];
};
