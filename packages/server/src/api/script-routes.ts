import { bindColumn, CorrelationReportSchema, patternsOf, ScriptSchema } from '@sturdy/core';
import * as z from 'zod';
import { Problem } from '../problem/problem.js';
import { InProject } from './parameters.js';
import type { CorrelateArguments } from '../compute/long-work.js';
import { keepScript } from '../scripts/keep-script.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import { needScript, needTake } from './script-of.js';
import type { Services } from './services.js';

const InScript = z.object({ scriptId: z.string() });
export const KeptSchema = z.object({ script: ScriptSchema, changedToo: z.array(z.string()).describe('other scripts, by name') });
/** Scripts: editing, correlating, binding data. */
export const scriptRoutes = ({ store, compute, longWork, live }: Services): AnyRoute[] => {
  return [
    route({
      method: 'get',
      path: '/projects/:projectId/scripts',
      summary: 'The scripts of a project',
      params: InProject,
      result: z.array(ScriptSchema),
      handle: ({ params }) => store.scripts(params.projectId),
    }),
    route({
      method: 'get',
      path: '/scripts/:scriptId',
      summary: 'One script',
      params: InScript,
      result: ScriptSchema,
      handle: ({ params }) => needScript(store, params.scriptId),
    }),
    route({
      method: 'put',
      path: '/scripts/:scriptId',
      summary: 'Save a script; a part that was changed in it is changed in every script that has it',
      params: InScript,
      body: ScriptSchema,
      result: KeptSchema,
      handle: async ({ params, body, request }) => {
        const known = await needScript(store, params.scriptId);
        return keepScript(store, { ...body, id: known.id, projectId: known.projectId }, { by: personOf(request) });
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/text',
      summary: 'The text form of a script as it is given here, saved or not',
      params: InScript,
      body: ScriptSchema,
      result: z.object({ text: z.string() }),
      handle: async ({ body }) => ({ text: await compute.writeScript(body) }),
    }),
    route({
      method: 'put',
      path: '/scripts/:scriptId/text',
      summary: 'Read a script from its text form; what is wrong is told with line and column, and then nothing is saved',
      params: InScript,
      body: z.object({ text: z.string() }),
      result: z.object({
        script: ScriptSchema,
        problems: z.array(z.object({ line: z.number(), column: z.number(), message: z.string() })),
      }),
      handle: async ({ params, body, request }) => {
        const read = await compute.readScript(body.text, await needScript(store, params.scriptId));
        if (read.problems.length > 0) return read;
        const { script } = await keepScript(store, read.script, { by: personOf(request) });
        return { script, problems: [] };
      },
    }),
    route({
      method: 'delete',
      path: '/scripts/:scriptId',
      summary: 'Delete a script with its rehearsals',
      params: InScript,
      result: z.object({}),
      handle: async ({ params }) => {
        const script = await needScript(store, params.scriptId);
        const user = (await store.workloads(script.projectId)).find((workload) =>
          workload.crews.some((crew) => crew.scriptId === script.id),
        );
        if (user)
          throw new Problem(409, 'The script is in use', `The workload “${user.name}” plays it. Take it out of the workload first.`);
        await store.deleteScript(params.scriptId);
        return {};
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/correlate',
      summary: 'Find the values that must be handed off, with a second take as evidence where there is one',
      params: InScript,
      body: z.object({ secondTakeId: z.string().nullable() }),
      result: z.object({ script: ScriptSchema, report: CorrelationReportSchema }),
      handle: async ({ params, body, request }) => {
        // All that is waited for is part of the work, so that it can be cancelled as soon as it was asked for.
        const load = async (): Promise<CorrelateArguments> => {
          const script = await needScript(store, params.scriptId);
          return [
            script,
            await needTake(store, script.takeId),
            body.secondTakeId === null ? null : await needTake(store, body.secondTakeId),
            patternsOf(await store.ownPatterns(script.projectId)),
          ];
        };
        const correlated = await longWork.correlate(params.scriptId, load, (done, total) => {
          live.tell(params.scriptId, 'correlating', { done, total });
        });
        const { script } = await keepScript(store, correlated.script, { by: personOf(request), what: 'Correlated' });
        return { ...correlated, script };
      },
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/correlate/cancel',
      summary: 'Give up correlating; the script stays as it was',
      params: InScript,
      result: z.object({ cancelled: z.boolean() }),
      handle: ({ params }) => ({ cancelled: longWork.cancel(params.scriptId) }),
    }),
    route({
      method: 'post',
      path: '/scripts/:scriptId/bind',
      summary: 'Put a column of a data table in the place of a recorded value, at the given places',
      params: InScript,
      body: z.object({
        value: z.string().min(1),
        places: z.array(z.object({ step: z.string(), place: z.string() })).min(1, 'Tick at least one place.'),
        table: z.string(),
        column: z.string(),
      }),
      result: ScriptSchema,
      handle: async ({ params, body, request }) => {
        const script = await needScript(store, params.scriptId);
        const table = (await store.tables(script.projectId)).find((dataTable) => dataTable.id === body.table);
        if (!table?.columns.some((column) => column.name === body.column))
          throw new Problem(
            422,
            'No such column',
            `The table “${table?.name ?? body.table}” has no column “${body.column}”. Choose another.`,
          );
        const bound = bindColumn(script, body.value, body.places, body.table, body.column);
        const { script: kept } = await keepScript(store, bound, { by: personOf(request) });
        return kept;
      },
    }),
  ];
};
