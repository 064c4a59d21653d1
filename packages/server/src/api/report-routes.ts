import { randomUUID } from 'node:crypto';
import {
  dayText,
  DocumentSchema,
  ListedReportSchema,
  mostCompared,
  ReportTemplateSchema,
  type IssuedReport,
  type MeasuredRun,
  type ReportDocument,
  type ReportTemplate,
} from '@sturdy/core';
import * as z from 'zod';
import { documentEndings } from '../documents/write-document.js';
import { documentFormats } from './document-formats.js';
import { notFound, Problem } from '../problem/problem.js';
import { InProject } from './parameters.js';
import { personOf } from './person.js';
import { route, type AnyRoute } from './route.js';
import { RunMaterial } from './run-material.js';
import type { Services } from './services.js';

const InRun = z.object({ runId: z.string() });
const InReport = z.object({ reportId: z.string() });
/** What a report holds, and the runs that this one is set against, the first of them first. */
const WishSchema = z.object({
  template: ReportTemplateSchema,
  against: z
    .array(z.string())
    .max(mostCompared - 1)
    .default([]),
});

/** Reports of runs: looked at, issued, kept as they were, and written in every format. */
export const reportRoutes = ({ store, projects, compute }: Services): AnyRoute[] => {
  const runs = new RunMaterial({ store, compute });
  const documentOf = async (runId: string, { template, against }: z.infer<typeof WishSchema>, by: string): Promise<ReportDocument> => {
    const run = await runs.need(runId);
    const measured = await runs.measured(run);
    const others: MeasuredRun[] = [];
    for (const id of new Set(against)) {
      const other = await runs.need(id);
      if (other.projectId !== run.projectId || id === runId)
        throw new Problem(422, 'Not another run of this project', 'Choose other runs of the same project.');
      others.push(await runs.measured(other));
    }
    const scripts = await store.scripts(run.projectId);
    const wants = (kind: ReportTemplate['sections'][number]['kind']) => template.sections.some((section) => section.kind === kind);
    return compute.reportDocument(template, {
      project: (await projects.need(run.projectId)).name,
      result: measured.result,
      lanes: wants('charts') ? await compute.lanes(measured.frames) : [],
      findings: wants('findings') ? await runs.findings(run, measured) : [],
      hosts: measured.hosts,
      scripts,
      baseline: await runs.baseline(run),
      comparison: others.length > 0 && wants('comparison') ? await compute.compareRuns([...others, measured], scripts) : null,
      brief: await store.brief(run.projectId),
      day: dayText(new Date()),
      by,
    });
  };
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
      body: WishSchema,
      result: DocumentSchema,
      handle: ({ params, body, request }) => documentOf(params.runId, body, personOf(request)),
    }),
    route({
      method: 'post',
      path: '/runs/:runId/reports',
      summary: 'Issue a report; it is kept as it is now',
      params: InRun,
      body: WishSchema,
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
