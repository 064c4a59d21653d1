import { randomUUID } from 'node:crypto';
import { applyPart, makePart, partIn, ScriptSchema, ListedPartSchema, type Part } from '@sturdy/core';
import * as z from 'zod';
import { notFound, Problem } from '../problem/problem.js';
import { keepScript } from '../scripts/keep-script.js';
import { InProject } from './parameters.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import { needScript } from './script-of.js';
import type { Services } from './services.js';

const InScript = z.object({ scriptId: z.string() });

/** Parts: sequences of steps that are kept once and used in several scripts. */
export const partRoutes = ({ store }: Services): AnyRoute[] => {
  const usedBy = async (part: Part) =>
    (await store.scripts(part.projectId))
      .filter((script) => script.transactions.some((transaction) => transaction.part === part.id))
      .map(({ id, name }) => ({ id, name }));
  return [
    route({
      method: 'get',
      path: '/projects/:projectId/parts',
      summary: 'The parts of a project, and the scripts that have them',
      params: InProject,
      result: z.array(ListedPartSchema),
      handle: async ({ params }) =>
        Promise.all(
          (await store.parts(params.projectId)).map(async (part) => ({
            id: part.id,
            name: part.name,
            steps: part.steps.length,
            usedBy: await usedBy(part),
          })),
        ),
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/parts',
      summary: 'Keep a transaction as a part, so that other scripts can have it too',
      params: InScript,
      body: z.object({ transaction: z.string() }),
      result: ScriptSchema,
      handle: async ({ params, body, request }) => {
        const script = await needScript(store, params.scriptId);
        const transaction = script.transactions.find((candidate) => candidate.id === body.transaction);
        if (!transaction) throw notFound('transaction', body.transaction);
        if (transaction.part !== undefined)
          throw new Problem(409, 'It is a part already', `“${transaction.name}” is kept as a part already.`);
        if (transaction.steps.length === 0)
          throw new Problem(422, 'It is empty', `“${transaction.name}” has no step. Put steps into it first.`);
        const id = `p${randomUUID().slice(0, 8)}`;
        const made = makePart(script, transaction.id, id);
        const part = partIn(made, id);
        if (!part) throw notFound('part', id);
        await store.savePart(part);
        return (await keepScript(store, made, { by: personOf(request), what: `“${transaction.name}” is kept as a part` })).script;
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/use-part',
      summary: 'Put a part into a script, behind a transaction or at the start; names what it sends and the script reads nowhere',
      params: InScript,
      body: z.object({ part: z.string(), after: z.string().nullable() }),
      result: z.object({ script: ScriptSchema, missing: z.array(z.string()) }),
      handle: async ({ params, body, request }) => {
        const script = await needScript(store, params.scriptId);
        const part = (await store.parts(script.projectId)).find((candidate) => candidate.id === body.part);
        if (!part) throw notFound('part', body.part);
        if (script.transactions.some((transaction) => transaction.part === part.id))
          throw new Problem(
            409,
            'It is there already',
            `“${script.name}” has the part “${part.name}” already. A script has each part once.`,
          );
        const { script: with1, missing } = applyPart(script, part, body.after);
        const { script: kept } = await keepScript(store, with1, { by: personOf(request), what: `The part “${part.name}” put in` });
        return { script: kept, missing };
      },
    }),
    route({
      method: 'delete',
      path: '/parts/:partId',
      summary: 'Delete a part that no script has',
      params: z.object({ partId: z.string() }),
      result: z.object({}),
      handle: async ({ params }) => {
        const part = await store.part(params.partId);
        const [user] = part ? await usedBy(part) : [];
        if (user)
          throw new Problem(409, 'The part is in use', `The script “${user.name}” has it. Make its transaction independent there first.`);
        await store.deletePart(params.partId);
        return {};
      },
    }),
  ];
};
