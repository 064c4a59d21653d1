import * as z from 'zod';
import { CriterionVerdictSchema } from '../analyse/verdict.schema.js';

export const IntervalSchema = z.object({ value: z.number(), low: z.number(), high: z.number() });

/** A run as a comparison shows it. */
export const ComparedRunSchema = z.object({
  id: z.string(),
  number: z.number().int(),
  workload: z.string(),
  startedAt: z.string(),
  release: z.string().nullable(),
  /** The crew of the run that this is; absent for the run as a whole. */
  part: z.string().optional(),
  verdict: z.enum(['held', 'missed', 'none']),
  isTrusted: z.boolean(),
  /** The hold, in seconds of the run: comparisons are aligned at its start. */
  fromSecond: z.number(),
  toSecond: z.number(),
});
export type ComparedRun = z.infer<typeof ComparedRunSchema>;

/** `none`: no difference that these figures could show. */
export const DifferenceSchema = z.object({
  /** In ms, later run less the first; null with too few samples. */
  mean: IntervalSchema.nullable(),
  p95: IntervalSchema.nullable(),
  verdict: z.enum(['slower', 'faster', 'none', 'few']),
  sentence: z.string(),
});
export type Difference = z.infer<typeof DifferenceSchema>;

const FiguresSchema = z.object({ count: z.number(), meanMs: z.number(), p95Ms: z.number(), errorPercent: z.number() });

/** Two to six runs side by side; the first is what the others are set against. */
export const RunComparisonSchema = z.object({
  runs: z.array(ComparedRunSchema),
  /** What matters most, in sentences. */
  sentences: z.array(z.string()),
  transactions: z.array(
    z.object({
      name: z.string(),
      figures: z.array(FiguresSchema.nullable()),
      /** One for each run after the first. */
      differences: z.array(DifferenceSchema),
    }),
  ),
  criteria: z.array(z.object({ name: z.string(), verdicts: z.array(CriterionVerdictSchema.nullable()) })),
  failures: z.array(
    z.object({
      step: z.string(),
      message: z.string(),
      counts: z.array(z.number().int()),
      state: z.enum(['new', 'gone', 'both']),
    }),
  ),
  hosts: z.array(z.object({ name: z.string(), unit: z.string(), means: z.array(z.number().nullable()) })),
  /** What differed in what was played. */
  changes: z.array(
    z.object({ about: z.enum(['workload', 'environment', 'script', 'data', 'release']), run: z.number().int(), sentence: z.string() }),
  ),
});
export type RunComparison = z.infer<typeof RunComparisonSchema>;

/** One transaction over all runs of a workload. */
export const TrendSchema = z.object({
  runs: z.array(ComparedRunSchema),
  transactions: z.array(
    z.object({
      name: z.string(),
      /** p95 in ms with its interval; null where a run has too few samples. */
      points: z.array(IntervalSchema.nullable()),
      /** Index of the first run that is worse than what was before it by more than chance; null where none is. */
      firstWorse: z.number().int().nullable(),
      sentence: z.string(),
    }),
  ),
});
export type Trend = z.infer<typeof TrendSchema>;
