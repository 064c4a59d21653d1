import {
  RehearsalSchema,
  ScriptSchema,
  sentAndGot,
  SentAndGotSchema,
  SourcePlaceSchema,
  type Rehearsal,
  type Script,
  FoundSourcesSchema,
} from '@sturdy/core';
import * as z from 'zod';
import { Problem } from '../problem/problem.js';
import { storedRehearsal } from '../compute/stored-rehearsal.js';
import { keepScript } from '../scripts/keep-script.js';
import { keyOf, onOpened } from './on-opened.js';
import { askerOf, personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import { needScript, takesOf } from './script-of.js';
import type { Services } from './services.js';

const InScript = z.object({ scriptId: z.string() });
const CandidateAt = SourcePlaceSchema.extend({ candidate: z.string() });

/** Rehearsals in which candidates are looked up, the newest. */
const mostRehearsals = 3;

/** Sent values in doubt: what each could be, tried in a rehearsal up to its step, and put into the script. */
export const sourceRoutes = ({ store, environments, compute, rehearsalRoom }: Services): AnyRoute[] => {
  /** Does the work on the candidates of the script as it is now, with the newest rehearsals; lays them out where others, or none, lie there. */
  const onSources = async <T>(script: Script, work: (key: string) => Promise<T | undefined>): Promise<T> => {
    const rehearsals = await store.rehearsals(script.id, mostRehearsals);
    return onOpened(keyOf(script, rehearsals[0]?.id), work, async (key) => {
      const played = await Promise.all(rehearsals.map((rehearsal) => storedRehearsal(store, rehearsal)));
      await compute.openSources(key, script, ...(await takesOf(store, script)), played);
    });
  };

  const gone = (): Problem =>
    new Problem(
      404,
      'This value is sent no more',
      'The script sends nothing at this place any more, or has no such candidate. Open the value again from its step.',
    );

  const withCandidate = async (script: Script, { step, place, candidate }: z.infer<typeof CandidateAt>) => {
    const done = await onSources(script, (key) => compute.withSource(key, { step, place }, candidate));
    if (!done) throw gone();
    return done;
  };

  const outcomeOf = async (rehearsal: Rehearsal, at: z.infer<typeof SourcePlaceSchema>) => {
    const { bodies } = await storedRehearsal(store, rehearsal, ({ step }) => step === at.step);
    return sentAndGot(rehearsal, at, (hash) => bodies[hash]);
  };

  return [
    route({
      method: 'get',
      path: '/scripts/:scriptId/sources',
      summary: 'What could be sent at a place: candidates with their evidence, and what rehearsals sent there and got',
      params: InScript,
      query: SourcePlaceSchema,
      result: FoundSourcesSchema,
      handle: async ({ params, query }) => {
        const script = await needScript(store, params.scriptId);
        const sources = await onSources(script, (key) => compute.sources(key, query));
        if (!sources) throw gone();
        const trials: (z.infer<typeof SentAndGotSchema> & { candidate: string })[] = [];
        for (const rehearsal of await store.trialRehearsals(script.id))
          if (rehearsal.trial?.step === query.step && rehearsal.trial.place === query.place)
            trials.push({ ...(await outcomeOf(rehearsal, query)), candidate: rehearsal.trial.candidate });
        const [newest] = await store.rehearsals(script.id, 1);
        return { ...sources, last: newest ? await outcomeOf(newest, query) : null, trials };
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/sources/try',
      summary: 'Play the script up to a step with a candidate at one of its places; the script stays as it is, real records are made',
      params: InScript,
      body: CandidateAt,
      result: RehearsalSchema,
      handle: async ({ params, body, request }) => {
        const script = await needScript(store, params.scriptId);
        const { script: changed, candidate } = await withCandidate(script, body);
        const environment = await environments.toPlay(script, `A candidate tried in “${script.name}”`, askerOf(request));
        return rehearsalRoom.tryCandidate(changed, environment, { ...body, sentence: candidate.sentence });
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/sources/use',
      summary: 'Put a candidate into the script, at its place and wherever else that value is sent',
      params: InScript,
      body: CandidateAt,
      result: z.object({ script: ScriptSchema }),
      handle: async ({ params, body, request }) => {
        const script = await needScript(store, params.scriptId);
        const done = await withCandidate(script, body);
        const { script: kept } = await keepScript(store, done.script, { by: personOf(request), what: 'A source chosen' });
        return { script: kept };
      },
    }),
  ];
};
