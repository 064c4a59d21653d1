import { randomUUID } from 'node:crypto';
import { isRefusal, patternsOf, ScriptSchema, TidySchema, type Take } from '@sturdy/core';
import * as z from 'zod';
import { Problem } from '../problem/problem.js';
import { keepScript } from '../scripts/keep-script.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import { needScript, needTake } from './script-of.js';
import type { Services } from './services.js';

/** Pieces of other takes that are put into a script. */
export const spliceRoutes = ({ store, compute }: Services): AnyRoute[] => [
  route({
    method: 'post',
    path: '/scripts/:scriptId/insert-from-take',
    summary:
      'Put a piece of another take into a script, in the place of steps where wished; what it sends is read where the script reads it',
    params: z.object({ scriptId: z.string() }),
    body: z.object({
      takeId: z.string(),
      from: z.number().int().positive(),
      to: z.number().int().positive(),
      after: z.string(),
      instead: z.array(z.string()).default([]),
      tidy: TidySchema.nullable().default(null),
    }),
    result: z.object({ script: ScriptSchema, added: z.array(z.string()), missing: z.array(z.string()) }),
    handle: async ({ params, body, request }) => {
      const script = await needScript(store, params.scriptId);
      const storedTake = await needTake(store, script.takeId);
      const otherTake = await needTake(store, body.takeId);
      const tidy = body.tidy ?? (await compute.survey(otherTake)).proposal;
      const { takeId: _take, tidy: _tidy, ...wish } = body;
      const patterns = patternsOf(await store.ownPatterns(script.projectId));
      const done = await compute.splice(script, storedTake, otherTake, wish, tidy, patterns).catch((error: unknown) => {
        throw isRefusal(error) ? new Problem(422, 'Nothing to put in', error.message) : error;
      });
      // The script stands for exchanges of both takes now, so it gets a take of its own that holds them.
      const isOwn = storedTake.take.madeFor === script.id;
      const take: Take = isOwn
        ? storedTake.take
        : { ...storedTake.take, id: randomUUID(), name: `${storedTake.take.name}, with pieces`, madeFor: script.id, harLog: null };
      await store.saveTake(take);
      await store.saveExchanges(take.id, done.exchanges);
      const kept = await keepScript(
        store,
        { ...done.script, takeId: take.id },
        { by: personOf(request), what: `A piece of “${otherTake.take.name}” put in` },
      );
      return { script: kept.script, added: done.added, missing: done.missing };
    },
  }),
];
