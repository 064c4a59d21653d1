import { cutText, ExtractorSchema, ProposalSchema, readPlaces, ScriptSchema, TrialSchema, type Handoff, type Script } from '@sturdy/core';
import * as z from 'zod';
import type { StoredRehearsal } from '../compute/stored-rehearsal.js';
import { notFound, Problem } from '../problem/problem.js';
import { storedRehearsal } from '../compute/stored-rehearsal.js';
import { keepScript } from '../scripts/keep-script.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import { keyOf, onOpened } from './on-opened.js';
import { needScript, needTake, takesOf } from './script-of.js';
import type { Services } from './services.js';

const InHandoff = z.object({ scriptId: z.string(), handoffId: z.string() });

/** Rehearsals on which extractors are tried, the newest. */
const mostRehearsals = 5;

/** Handoffs: other ways to read them, tried on everything recorded and replayed. */
export const handoffRoutes = ({ store, compute }: Services): AnyRoute[] => {
  const need = async ({ scriptId, handoffId }: z.infer<typeof InHandoff>): Promise<{ script: Script; handoff: Handoff }> => {
    const script = await needScript(store, scriptId);
    const handoff = script.handoffs.find((candidate) => candidate.id === handoffId);
    if (!handoff) throw notFound('handoff', handoffId);
    return { script, handoff };
  };

  /** The answers of the newest rehearsals from which handoffs are read. */
  const played = async (script: Script): Promise<StoredRehearsal[]> => {
    const rehearsals = await store.rehearsals(script.id, mostRehearsals);
    const wanted = new Set(script.handoffs.flatMap((handoff) => readPlaces(handoff).map(({ step }) => step)));
    return Promise.all(rehearsals.map((rehearsal) => storedRehearsal(store, rehearsal, ({ step }) => wanted.has(step))));
  };

  /** Does the work on the workbench of the script as it is now; lays it out where another one, or none, lies there. */
  const onBench = async <T>(script: Script, work: (key: string) => Promise<T | undefined>): Promise<T> => {
    const [newest] = await store.rehearsals(script.id, 1);
    return onOpened(keyOf(script, newest?.id), work, async (key) => {
      await compute.openWorkbench(key, script, ...(await takesOf(store, script)), await played(script));
    });
  };

  return [
    route({
      method: 'post',
      path: '/scripts/:scriptId/hand-off',
      summary: 'Hand off the value that a step sends at a place, from the best response that gives it',
      params: z.object({ scriptId: z.string() }),
      body: z.object({ step: z.string(), place: z.string(), value: z.string() }),
      result: z.object({ script: ScriptSchema, handoff: z.string() }),
      handle: async ({ params, body, request }) => {
        const script = await needScript(store, params.scriptId);
        const done = await compute.handOff(script, await needTake(store, script.takeId), body);
        if (!done)
          throw new Problem(
            422,
            'No answer gives this value',
            `No answer before this step holds “${cutText(body.value, 60)}”, nor a part of it. If a page script computes it, let the client make it; if people type it, take it from data.`,
          );
        const { script: kept } = await keepScript(store, done.script, { by: personOf(request), what: 'A value handed off' });
        return { ...done, script: kept };
      },
    }),
    route({
      method: 'get',
      path: '/scripts/:scriptId/handoffs/:handoffId/proposals',
      summary: 'Ways to read the value of a handoff, with how each did on everything recorded and replayed',
      params: InHandoff,
      result: z.array(ProposalSchema),
      handle: async ({ params }) => {
        const { script, handoff } = await need(params);
        return onBench(script, (key) => compute.proposals(key, handoff));
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/handoffs/:handoffId/try',
      summary: 'Try a way to read the value of a handoff on every response, recorded and replayed; nothing is changed',
      params: InHandoff,
      body: z.object({ extractor: ExtractorSchema, everywhere: z.boolean() }),
      result: TrialSchema,
      handle: async ({ params, body }) => {
        const { script, handoff } = await need(params);
        return onBench(script, (key) => compute.tryExtractor(key, handoff, body.extractor, body.everywhere));
      },
    }),
  ];
};
