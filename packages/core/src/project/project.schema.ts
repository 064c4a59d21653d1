import * as z from 'zod';
import { FailureSignSchema } from '../check/failure-sign.js';
import { SavedQuestionSchema } from '../explore/question.schema.js';
import { SavedViewSchema } from '../explore/saved-view.schema.js';
import { FindingRulesSchema } from '../findings/finding-rules.schema.js';
import { thisMachine, WatchSchema } from '../hosts/watch.schema.js';
import { CriterionSchema, type Criterion } from '../workload/workload.schema.js';
import { ReportTemplateSchema } from '../run-report/report-template.schema.js';
import { BlackoutSchema } from '../schedule/schedule.schema.js';
import type { Environment } from '../environment/environment.schema.js';

/** `archived` is put aside and still there, `deleted` waits to be had back or deleted for good. */
export const ProjectStateSchema = z.enum(['active', 'archived', 'deleted']);
export type ProjectState = z.infer<typeof ProjectStateSchema>;

export const ProjectNameSchema = z.string().trim().min(1, 'Give the project a name.').max(80, 'A name has at most 80 signs.');

/** A project: everything that belongs to the test of one application. */
export const ProjectSchema = z.object({ id: z.string(), name: z.string(), state: ProjectStateSchema });
export type Project = z.infer<typeof ProjectSchema>;

/** What holds for everything in a project. */
export const ProjectSettingsSchema = z.object({
  /** What no good answer of any script holds. */
  failureSigns: z.array(FailureSignSchema).max(200).default([]),
  /** What every run must hold where its workload says nothing else of the same measure of the same transaction. */
  criteria: z.array(CriterionSchema).max(200).default([]),
  /** Hosts whose figures are read while a run lasts. */
  watches: z.array(WatchSchema).max(40).default([thisMachine]),
  /** What the analysis of runs goes by, where it is not what ships with the product. */
  findingRules: FindingRulesSchema.optional(),
  /** Reports as people put them together, for every run. */
  reportTemplates: z.array(ReportTemplateSchema).max(20).optional(),
  /** What people look at of runs: series in lanes, and questions in SQL. */
  views: z.array(SavedViewSchema).max(60).optional(),
  questions: z.array(SavedQuestionSchema).max(100).optional(),
  /** Times in which no run may begin and none may go on. */
  blackouts: z.array(BlackoutSchema).max(100).optional(),
});
export type ProjectSettings = z.infer<typeof ProjectSettingsSchema>;
export const plainSettings: ProjectSettings = ProjectSettingsSchema.parse({});

/** An environment with what holds for its project. */
export const environmentOf = (environment: Environment, settings: ProjectSettings): Environment => ({
  ...environment,
  failureSigns: [...environment.failureSigns, ...settings.failureSigns],
});

/** The criteria of the project that a workload does not set otherwise. */
export const inheritedCriteria = (settings: ProjectSettings, criterions: readonly Criterion[]): Criterion[] =>
  settings.criteria
    .filter(
      (criterion) =>
        !criterions.some(
          (otherCriterion) => otherCriterion.measure === criterion.measure && otherCriterion.transaction === criterion.transaction,
        ),
    )
    .map((criterion) => ({ ...criterion, id: `project-${criterion.id}` }));
