import {
  CatalogueSchema,
  QuestionAnswerSchema,
  QuestionSchema,
  SavedQuestionSchema,
  SavedViewSchema,
  SeriesKeySchema,
  SeriesPointsSchema,
  type Run,
} from '@sturdy/core';
import * as z from 'zod';
import { askersLeave } from '../compute/compute-client.js';
import { RunMaterial } from '../explain/run-material.js';
import { Problem } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { route, type AnyRoute } from './route.js';
import type { Services } from './services.js';

const InRun = z.object({ runId: z.string() });
/** Series that are asked for at a time. */
const mostSeries = 120;
const ViewsSchema = z.object({ views: z.array(SavedViewSchema).max(60), questions: z.array(SavedQuestionSchema).max(100) });

/** Ended runs, looked at freely: their series, views of them that are kept, and questions in SQL. */
export const exploreRoutes = ({ store, compute, preparedRuns, questions, samples }: Services): AnyRoute[] => {
  const runs = new RunMaterial({ store, compute, samples });
  return [
    route({
      method: 'get',
      path: '/runs/:runId/catalogue',
      summary: 'What can be shown of an ended run: transactions, steps, hosts, generators',
      params: InRun,
      result: CatalogueSchema,
      handle: async ({ params }) => compute.catalogue(await preparedRuns.tables(await runs.need(params.runId))),
    }),
    route({
      method: 'post',
      path: '/runs/:runId/series',
      summary: 'Series of an ended run, a point each second',
      params: InRun,
      body: z.object({ keys: z.array(SeriesKeySchema).max(mostSeries) }),
      result: z.array(SeriesPointsSchema),
      handle: async ({ params, body }) => compute.series(await preparedRuns.tables(await runs.need(params.runId)), body.keys),
    }),
    route({
      method: 'post',
      path: '/projects/:projectId/questions/ask',
      summary: 'Ask a question in SQL over ended runs: one SELECT, which sees what they measured and nothing else',
      params: InProject,
      body: QuestionSchema,
      result: QuestionAnswerSchema,
      handle: async ({ params, body }) => {
        const asked: Run[] = [];
        for (const id of new Set(body.runs)) {
          const run = await runs.need(id);
          if (run.projectId !== params.projectId) throw new Problem(422, 'Not a run of this project', 'Choose runs of this project.');
          asked.push(run);
        }
        return questions.ask(asked, body, askersLeave.getStore());
      },
    }),
    route({
      method: 'get',
      path: '/projects/:projectId/views',
      summary: 'The views and questions that are kept with a project',
      params: InProject,
      result: ViewsSchema,
      handle: async ({ params }) => {
        const { views = [], questions: kept = [] } = await store.projectSettings(params.projectId);
        return { views, questions: kept };
      },
    }),
    route({
      method: 'put',
      path: '/projects/:projectId/views',
      summary: 'Keep views and questions with a project',
      params: InProject,
      body: ViewsSchema,
      result: ViewsSchema,
      handle: async ({ params, body }) => {
        const settings = await store.projectSettings(params.projectId);
        await store.saveProjectSettings(params.projectId, { ...settings, ...body });
        return body;
      },
    }),
  ];
};
