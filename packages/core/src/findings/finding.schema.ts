import * as z from 'zod';

export const findingKinds = [
  'turning-point',
  'scalability',
  'littles-law',
  'queueing',
  'production',
  'host',
  'moves-with',
  'failures',
  'drift',
  'rhythm',
  'step-change',
  'warm-up',
  'groups',
  'missing',
] as const;

/** `grave` needs somebody's decision, `notable` explains, `hint` may explain, `fact` is for completeness. */
export const severities = ['grave', 'notable', 'hint', 'fact'] as const;
export type Severity = (typeof severities)[number];

/** A small chart that belongs to a finding: what was measured as points, what was fitted as lines. */
export const FindingChartSchema = z.object({
  x: z.string(),
  y: z.string(),
  points: z.array(z.tuple([z.number(), z.number()])),
  lines: z.array(z.object({ name: z.string(), points: z.array(z.tuple([z.number(), z.number()])) })),
  /** The x that the finding is about, with its interval of 95 %. */
  mark: z.object({ value: z.number(), low: z.number(), high: z.number() }).nullable(),
});
export type FindingChart = z.infer<typeof FindingChartSchema>;

/** Something that the analysis of a run noticed, in a sentence with its figures. */
export const FindingSchema = z.object({
  /** Names it within the run. */
  id: z.string(),
  kind: z.enum(findingKinds),
  severity: z.enum(severities),
  sentence: z.string(),
  /** What it means, what it rests on and what it does not show. */
  explanation: z.string(),
  /** When it began and ended, in seconds of the run; null where it has no moment. */
  fromSecond: z.number().nullable(),
  toSecond: z.number().nullable(),
  /** Series of hosts that belong to it. */
  series: z.array(z.string()).default([]),
  chart: FindingChartSchema.nullable().default(null),
});
export type Finding = z.infer<typeof FindingSchema>;
