import { randomUUID } from 'node:crypto';
import { DocumentSchema, ListedReportSchema, type IssuedReport } from '@sturdy/core';
import * as z from 'zod';
import { documentEndings } from '../documents/write-document.js';
import { documentFormats } from '../documents/document-formats.js';
import { notFound } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import { ReportMaker, ReportWishSchema, type ReportWish } from '../explain/report-maker.js';
import { RunMaterial } from '../explain/run-material.js';
import type { Services } from './services.js';

const InRun = z.object({ runId: z.string() });
const InReport = z.object({ reportId: z.string() });
/** Reports of runs: looked at, issued, kept as they were, and written in every format. */
export const reportRoutes = ({ store, projects, compute, samples, live }: Services): AnyRoute[] => {
  const runs = new RunMaterial({ store, compute, samples });
  const maker = new ReportMaker({ store, projects, compute, samples });
  const documentOf = (runId: string, wish: ReportWish, by: string) =>
    maker.documentOf(runId, wish, by, (progress) => {
      live.tell(runId, 'reporting', progress);
    });
  const need = async (id: string): Promise<IssuedReport> => {
    const report = await store.issuedReport(id);
    if (!report) throw notFound('report', id);
    return report;
  };
  return [
    route({
      method: 'post',
      path: '/runs/:runId/report',
      summary: 'A report as it would be issued now; nothing is kept',
      params: InRun,
      body: ReportWishSchema,
      result: DocumentSchema,
      handle: ({ params, body, request }) => documentOf(params.runId, body, personOf(request)),
    }),
    route({
      method: 'post',
      path: '/runs/:runId/reports',
      summary: 'Issue a report; it is kept as it is now',
      params: InRun,
      body: ReportWishSchema,
      result: ListedReportSchema,
      handle: async ({ params, body, request }) => {
        const by = personOf(request);
        const document = await documentOf(params.runId, body, by);
        const run = await runs.need(params.runId);
        const report = {
          id: randomUUID(),
          projectId: run.projectId,
          runId: run.id,
          run: run.number,
          issuedAt: new Date().toISOString(),
          by,
        };
        await store.saveReport({ ...report, document });
        return { ...report, title: document.title };
      },
    }),
    route({
      method: 'get',
      path: '/projects/:projectId/reports',
      summary: 'The reports that were issued, the newest first',
      params: InProject,
      result: z.array(ListedReportSchema),
      handle: ({ params }) => store.reports(params.projectId),
    }),
    route({
      method: 'delete',
      path: '/reports/:reportId',
      summary: 'Delete an issued report',
      params: InReport,
      result: z.object({}),
      handle: async ({ params }) => {
        await store.deleteReport((await need(params.reportId)).id);
        return {};
      },
    }),
    ...documentEndings.map((format) =>
      route({
        method: 'get',
        path: `/reports/:reportId/report.${format}`,
        summary: `An issued report as ${format.toUpperCase()}`,
        params: InReport,
        produces: documentFormats[format],
        handle: async ({ params, response }) => {
          const { document, run } = await need(params.reportId);
          const bytes = await compute.writeDocument(document, format);
          response.type(documentFormats[format]).attachment(`run-${run}-report.${format}`).send(Buffer.from(bytes));
        },
      }),
    ),
  ];
};
