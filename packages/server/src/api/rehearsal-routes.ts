import {
  CorrelationReportSchema,
  ProofSchema,
  rehearsalResults,
  RehearsalCommandSchema,
  RehearsalSchema,
  RehearsalWishSchema,
  ScriptSchema,
  StepDifferenceSchema,
  TriedSchema,
  type Rehearsal,
} from '@sturdy/core';
import * as z from 'zod';
import { notFound } from '../problem/problem.js';
import { storedRehearsal } from '../compute/stored-rehearsal.js';
import { keepScript } from '../scripts/keep-script.js';
import { askerOf, personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import { needScript, needTake, takesOf } from './script-of.js';
import { sendPage } from './send-page.js';
import type { Services } from './services.js';

const InScript = z.object({ scriptId: z.string() });
const InStep = InScript.extend({ rehearsalId: z.string(), step: z.string() });

/** Rehearsals: playing a script once, steering it, repairing it, and what came of it beside the take or another rehearsal. */
export const rehearsalRoutes = ({ store, environments, compute, rehearsalRoom, live }: Services): AnyRoute[] => {
  const theRehearsal = async (id: string): Promise<Rehearsal> => {
    const rehearsal = await store.rehearsal(id);
    if (!rehearsal) throw notFound('rehearsal', id);
    return rehearsal;
  };

  /** A rehearsal, one that still waits too. */
  const rehearsalOf = async (scriptId: string, id: string): Promise<Rehearsal> => {
    const waiting = rehearsalRoom.waiting(scriptId);
    return waiting?.id === id ? waiting : theRehearsal(id);
  };

  return [
    route({
      method: 'post',
      path: '/scripts/:scriptId/rehearse',
      summary: 'Play the script once with one virtual user; this makes real records in the application',
      params: InScript,
      // Nothing said means straight through.
      body: RehearsalWishSchema.prefault({}),
      result: RehearsalSchema,
      handle: async ({ params, body, request }) => {
        const script = await needScript(store, params.scriptId);
        const environment = await environments.toPlay(script, `A rehearsal of “${script.name}”`, askerOf(request));
        return body.twice ? rehearsalRoom.rehearseTwice(script, environment, body) : rehearsalRoom.rehearse(script, environment, body);
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/rehearse/command',
      summary: 'Pause a rehearsal under way, send its next step, let it go on, or end it; answers when it waits again or has ended',
      params: InScript,
      body: RehearsalCommandSchema,
      result: RehearsalSchema,
      handle: ({ params, body }) => rehearsalRoom.command(params.scriptId, body.command),
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/repair',
      summary: 'Rehearse and repair in rounds until the script passes twice in a row and is proven, or nothing is left to try',
      params: InScript,
      result: z.object({
        script: ScriptSchema,
        rounds: z.array(
          z.object({
            rehearsal: RehearsalSchema,
            report: CorrelationReportSchema.nullable(),
            tried: z.array(TriedSchema),
            proof: ProofSchema.optional(),
          }),
        ),
        proof: ProofSchema.nullable(),
        result: z.enum(rehearsalResults),
      }),
      handle: async ({ params, request }) => {
        const script = await needScript(store, params.scriptId);
        const asker = askerOf(request);
        return rehearsalRoom.repair(script, await environments.toPlay(script, `The repair of “${script.name}”`, asker), asker.by);
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/rehearsals/:rehearsalId/mend',
      summary: 'Add to the script what this rehearsal proves, without playing it again',
      params: InScript.extend({ rehearsalId: z.string() }),
      result: z.object({ script: ScriptSchema, report: CorrelationReportSchema }),
      handle: async ({ params, request }) => {
        const script = await needScript(store, params.scriptId);
        const rehearsal = await theRehearsal(params.rehearsalId);
        const [take, second] = await takesOf(store, script);
        const mended = await compute.repair(script, take, second, rehearsal, rehearsal.proof ?? null, []);
        const kept = await keepScript(store, mended.script, {
          by: personOf(request),
          what: `Repaired after rehearsal ${rehearsal.number}`,
        });
        return { report: mended.report, script: kept.script };
      },
    }),
    route({
      method: 'get',
      path: '/scripts/:scriptId/live',
      summary: 'The steps of a rehearsal as they end (server-sent events)',
      params: InScript,
      produces: 'text/event-stream',
      handle: ({ params, response }) => {
        live.listen(params.scriptId, response);
      },
    }),
    route({
      method: 'get',
      path: '/scripts/:scriptId/rehearsals',
      summary: 'The rehearsals of a script, newest first; one that waits for the tester stands before them',
      params: InScript,
      result: z.array(RehearsalSchema),
      handle: async ({ params }) => {
        const waiting = rehearsalRoom.waiting(params.scriptId);
        return [...(waiting ? [waiting] : []), ...(await store.rehearsals(params.scriptId))];
      },
    }),
    route({
      method: 'get',
      path: '/rehearsals/:rehearsalId',
      summary: 'One rehearsal',
      params: z.object({ rehearsalId: z.string() }),
      result: RehearsalSchema,
      handle: ({ params }) => theRehearsal(params.rehearsalId),
    }),
    route({
      method: 'get',
      path: '/scripts/:scriptId/rehearsals/:rehearsalId/steps/:step/difference',
      summary: 'What a step sent and got, beside the take or another rehearsal; what moves from one visit to the next is told as harmless',
      params: InStep,
      query: z.object({ beside: z.string().default('take') }),
      result: StepDifferenceSchema,
      handle: async ({ params, query }) => {
        const script = await needScript(store, params.scriptId);
        const right = await storedRehearsal(store, await rehearsalOf(script.id, params.rehearsalId));
        if (query.beside !== 'take')
          return compute.compareRehearsals(
            script,
            params.step,
            await storedRehearsal(store, await rehearsalOf(script.id, query.beside)),
            right,
          );
        return compute.compareWithTake(script, params.step, await needTake(store, script.takeId), right);
      },
    }),
    route({
      method: 'get',
      path: '/scripts/:scriptId/rehearsals/:rehearsalId/steps/:step/page',
      summary: 'A replayed page as a picture: without scripts, with the style sheets and images of the take',
      params: InStep,
      produces: 'text/html',
      handle: async ({ params, response }) => {
        const script = await needScript(store, params.scriptId);
        const { captured } = (await rehearsalOf(script.id, params.rehearsalId)).steps.find((step) => step.step === params.step) ?? {};
        const page = captured?.kind === 'request' ? captured : undefined;
        const ref = page?.response?.body;
        const body = ref ? await store.body(ref.hash) : null;
        sendPage(response, body?.bytes ?? null, page?.request.url ?? 'http://127.0.0.1/', script.takeId);
      },
    }),
  ];
};
