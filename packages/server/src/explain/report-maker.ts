import {
  dayText,
  mostCompared,
  ReportTemplateSchema,
  type MeasuredRun,
  type ReportDocument,
  type ReportProgress,
  type ReportTemplate,
  type Run,
} from '@sturdy/core';
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

  /** Throws a problem where a run is not there, or is none of the same project. `onProgress` hears of each part as it is begun. */
  async documentOf(
    runId: string,
    { template, against }: ReportWish,
    by: string,
    onProgress: (progress: ReportProgress) => void = () => undefined,
  ): Promise<ReportDocument> {
    const { store, projects, compute } = this.services;
    const runs = this.#runs;
    const run = await runs.need(runId);
    const others: Run[] = [];
    for (const id of new Set(against)) {
      const other = await runs.need(id);
      if (other.projectId !== run.projectId || id === runId)
        throw new Problem(422, 'Not another run of this project', 'Choose other runs of the same project.');
      others.push(other);
    }
    const wants = (kind: ReportTemplate['sections'][number]['kind']) => template.sections.some((section) => section.kind === kind);
    const isCompared = others.length > 0 && wants('comparison');
    const wanted = [wants('charts'), wants('findings'), isCompared, wants('trend')].filter(Boolean).length;
    // Each run is a part, what is wanted of them, and the pages.
    const total = 1 + others.length + wanted + 1;
    let done = 0;
    const make = <T>(part: string, work: () => Promise<T>): Promise<T> => {
      onProgress({ part, done: done++, total });
      return work();
    };
    const measured = await make(`Reading run ${run.number}`, () => runs.measured(run));
    const measuredOthers: MeasuredRun[] = [];
    for (const other of others) measuredOthers.push(await make(`Reading run ${other.number}`, () => runs.measured(other)));
    const scripts = await store.scripts(run.projectId);
    const lanes = wants('charts') ? await make('Drawing the charts', () => compute.lanes(measured.frames)) : [];
    const findings = wants('findings') ? await make('Analysing the figures', () => runs.findings(run, measured)) : [];
    const comparison = isCompared
      ? await make('Comparing the runs', () => runs.compared([...measuredOthers, measured], run.projectId))
      : null;
    const trend = wants('trend') ? await make('Following the trend', () => runs.trend(run.workload)) : null;
    const material = {
      project: (await projects.need(run.projectId)).name,
      result: measured.result,
      lanes,
      findings,
      hosts: measured.hosts,
      scripts,
      baseline: await runs.baseline(run),
      comparison,
      trend,
      brief: await store.brief(run.projectId),
      day: dayText(new Date()),
      by,
    };
    return make('Laying out the pages', () => compute.reportDocument(template, material));
  }
}
