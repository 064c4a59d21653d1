import * as z from 'zod';
import { UsedEnvironmentSchema } from '../environment/environment.schema.js';
import { SummarySchema } from '../measure/tally.schema.js';
import { FailureSchema, OwnFiguresSchema } from '../measure/frame.schema.js';
import { WatchSchema } from '../hosts/watch.schema.js';
import { WorkloadSchema } from '../workload/workload.schema.js';
import { RunEventSchema } from './run-event.schema.js';
import { CriterionVerdictSchema, HostVerdictSchema } from './verdict.schema.js';

/** A generator of a run. */
export const RunGeneratorSchema = z.object({
  generator: z.number().int(),
  /** What its clock showed more than the conductor's when the run began, in ms, and how far that may be off. */
  offsetMs: z.number(),
  uncertaintyMs: z.number(),
  /** Why it was lost while it played; null where it was not. */
  lost: z.string().nullable(),
});
export type RunGenerator = z.infer<typeof RunGeneratorSchema>;

/** A script or a data table as a run played it. */
export const PlayedStateSchema = z.object({
  id: z.string(),
  name: z.string(),
  /** Null where its versions are not kept: it came from a file. */
  version: z.number().int().nullable(),
  /** The same wherever the same was played. */
  mark: z.string(),
  /** Rows of a data table. */
  rows: z.number().int().optional(),
});
export type PlayedState = z.infer<typeof PlayedStateSchema>;

/** One execution of a workload. `interrupted`: the server ended before the run did. */
export const RunSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  number: z.number().int(),
  workload: WorkloadSchema,
  environmentId: z.string(),
  /** Absent in runs of earlier versions. */
  environment: UsedEnvironmentSchema.optional(),
  /** Absent in runs of earlier versions. */
  played: z.object({ scripts: z.array(PlayedStateSchema), tables: z.array(PlayedStateSchema) }).optional(),
  state: z.enum(['starting', 'running', 'finishing', 'done', 'aborted', 'interrupted', 'failed']),
  startedAt: z.string(),
  endedAt: z.string().nullable(),
  /** Why it ended early, in a sentence. */
  note: z.string().nullable(),
  /** What happened in it, in the order of time. */
  events: z.array(RunEventSchema).optional(),
  generators: z.array(RunGeneratorSchema).optional(),
  /** Hosts whose figures were read while it lasted. */
  watches: z.array(WatchSchema).optional(),
  /** True where a stop rule ended it: it did not hold, whatever its figures up to then. */
  stoppedByRule: z.boolean().optional(),
  /** True where it is a zero line: what one user alone met. Later runs are set against the newest one before them. */
  baseline: z.boolean().optional(),
  /** The release of the system that it played against, as somebody wrote it. */
  release: z.string().max(80).optional(),
  verdict: z.enum(['held', 'missed', 'none']),
});
export type Run = z.infer<typeof RunSchema>;

/** Figures of one transaction or step over the period. */
export const RunRowSchema = z.object({
  transaction: z.string(),
  step: z.string().nullable(),
  name: z.string(),
  summary: SummarySchema,
});

/** What the figures of a run can be taken apart by. */
export const RunTableBySchema = z.enum(['crew', 'generator', 'phase']);
export type RunTableBy = z.infer<typeof RunTableBySchema>;
export const RunTableSchema = z.array(z.object({ group: z.string(), rows: z.array(RunRowSchema) }));
export type RunTable = z.infer<typeof RunTableSchema>;

/** A figure that says whether the run can be believed. */
export const TrustSignSchema = z.object({ good: z.boolean(), sentence: z.string() });

/** What a run measured, made from its frames. */
export const RunResultSchema = z.object({
  run: RunSchema,
  period: z.object({ fromSecond: z.number(), toSecond: z.number() }),
  criteria: z.array(CriterionVerdictSchema),
  /** Limits of hosts, as the brief set them when the run began. */
  hostCriteria: z.array(HostVerdictSchema).default([]),
  trust: z.array(TrustSignSchema),
  rows: z.array(RunRowSchema),
  failures: z.array(FailureSchema),
  iterationsPassed: z.number().int(),
  iterationsFailed: z.number().int(),
  /** Data rows that each crew, by its name, was dealt in the whole run; `table` is the id of the data table. */
  dealt: z.array(z.object({ crew: z.string(), table: z.string(), rows: z.number().int() })).default([]),
  seconds: z.number(),
});
export type RunResult = z.infer<typeof RunResultSchema>;

/** One second of a run for the lanes: times in ms. */
export const LanePointSchema = z.object({
  second: z.number().int(),
  users: z.number().int(),
  perSecond: z.number(),
  meanMs: z.number().nullable(),
  p50Ms: z.number().nullable(),
  p95Ms: z.number().nullable(),
  maxMs: z.number().nullable(),
  failures: z.number().int(),
  loopDelayMs: z.number(),
  /** What each generator took itself; absent in runs of earlier versions. */
  generators: z.array(OwnFiguresSchema.extend({ generator: z.number().int() })).optional(),
  /** How the response times are spread: samples in each band that has some (`bandStartMs`). */
  bands: z.array(z.array(z.number().int()).length(2)).optional(),
});
export type LanePoint = z.infer<typeof LanePointSchema>;
