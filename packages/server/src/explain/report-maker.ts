import { dayText, mostCompared, ReportTemplateSchema, type MeasuredRun, type ReportDocument, type ReportTemplate } from '@sturdy/core';
import * as z from 'zod';
import type { Compute } from '../compute/tasks.js';
import { Problem } from '../problem/problem.js';
import type { Projects } from '../projects/projects.js';
import type { SampleFiles } from '../samples/sample-files.js';
import type { Store } from '../store/store-client.js';
import { RunMaterial } from './run-material.js';

/** What a report holds, and the runs that this one is set against, the first of them first. */
export const ReportWishSchema = z.object({
  template: ReportTemplateSchema,
  against: z
    .array(z.string())
    .max(mostCompared - 1)
    .default([]),
});
export type ReportWish = z.infer<typeof ReportWishSchema>;

/** Makes reports of stored runs, for people who ask and for notices. */
export class ReportMaker {
  readonly #runs: RunMaterial;

  constructor(readonly services: { store: Store; projects: Projects; compute: Compute; samples: Pick<SampleFiles, 'path'> }) {
    this.#runs = new RunMaterial(services);
  }

  /** Throws a problem where a run is not there, or is none of the same project. */
  async documentOf(runId: string, { template, against }: ReportWish, by: string): Promise<ReportDocument> {
    const { store, projects, compute } = this.services;
    const runs = this.#runs;
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
      trend: wants('trend') ? await runs.trend(run.workload) : null,
      brief: await store.brief(run.projectId),
      day: dayText(new Date()),
      by,
    });
  }
}
