import * as z from 'zod';
import { LoadCurveSchema } from './load-curve.schema.js';

/** Pauses of a script as they are played. */
export const ThinkTimeSchema = z.object({
  kind: z.enum(['recorded', 'scaled', 'fixed', 'none']),
  /** For `scaled`: 1 is as recorded. */
  factor: z.number().min(0).max(100),
  /** For `fixed`, in ms. */
  ms: z.number().min(0).max(3_600_000),
  /** Pauses above this many ms are capped to it. */
  capMs: z.number().min(0).max(3_600_000),
  /** How each pause is spread around what it would be: evenly by so many per cent, or log-normal with it as the median. */
  spread: z
    .discriminatedUnion('kind', [
      z.object({ kind: z.literal('uniform'), percent: z.number().min(0).max(100) }),
      z.object({ kind: z.literal('log-normal'), sigma: z.number().min(0).max(3) }),
    ])
    .optional(),
});
export type ThinkTime = z.infer<typeof ThinkTimeSchema>;

/** Time from the start, or the end, of one iteration to the start of the next, spread evenly by so many per cent; `none` starts at once. */
export const PacingSchema = z.object({
  kind: z.enum(['none', 'start-to-start', 'end-to-start']),
  seconds: z.number().min(0).max(86_400),
  spreadPercent: z.number().min(0).max(100).optional(),
});
export type Pacing = z.infer<typeof PacingSchema>;

const bandwidth = z.number().min(1).max(10_000_000).nullable();

/** The line between a virtual user and the application: latency of a round trip in ms, bandwidths in kbit/s; null is as fast as it goes. */
export const LineSchema = z.object({ latencyMs: z.number().min(0).max(10_000), downKbps: bandwidth, upKbps: bandwidth });
export type Line = z.infer<typeof LineSchema>;

const headerText = z
  .string()
  .trim()
  .max(400)
  .regex(/^[\u0020-\u007e]*$/, 'A header has letters, digits and signs of ASCII only.');

/** In what a virtual user is like a browser. */
export const BrowserLikenessSchema = z.object({
  /** Stand for the recorded `User-Agent` and `Accept-Language`; empty leaves what was recorded. */
  userAgent: headerText.default(''),
  languages: headerText.default(''),
  /** Connections to one origin at a time, at the most; browsers open 6 (common practice, no source). */
  connections: z.number().int().min(1).max(32).default(6),
  /** What it keeps of answers (RFC 9111): nothing, for one iteration, or from one iteration to the next. */
  cache: z.enum(['off', 'cold', 'warm']).default('off'),
  /** Files that follow each other in the script are fetched at the same time. */
  filesSideBySide: z.boolean().default(false),
});
export type BrowserLikeness = z.infer<typeof BrowserLikenessSchema>;

/** How long a virtual user waits before it gives a request up, in ms. */
export const TimeoutsSchema = z.object({
  /** Until a connection stands. */
  connectMs: z.number().int().min(1).max(600_000).default(10_000),
  /** From the request to the first byte of its answer; absent where only the whole answer counts. */
  firstByteMs: z.number().int().min(1).max(3_600_000).optional(),
  /** From the request to the last byte of its answer. */
  answerMs: z.number().int().min(1).max(3_600_000).default(60_000),
});
export type Timeouts = z.infer<typeof TimeoutsSchema>;

/** A number of virtual users that play the same script under the same settings. */
export const CrewSchema = z.object({
  id: z.string(),
  name: z.string(),
  scriptId: z.string(),
  users: z.number().int().min(1).max(20_000),
  /** Share of all users in per cent, where the users are dealt out by shares; absent where they were given as a number. */
  sharePercent: z.number().min(0).max(100).optional(),
  /** Iterations that start in an hour, where they come by themselves (arrivals); `users` is then the most that are under way. */
  ratePerHour: z.number().min(0).max(100_000_000).optional(),
  /** Time between the starts of two users, in ms, in addition to what the curve says. */
  startDelayMs: z.number().int().min(0).max(600_000).optional(),
  think: ThinkTimeSchema,
  pacing: PacingSchema,
  /** Iterations that each user plays at most; null where only the curve ends it. */
  iterations: z.number().int().min(1).max(1_000_000).nullable().optional(),
  onFailure: z.enum(['go-on', 'next-iteration', 'stop-user', 'end-run']),
  line: LineSchema.optional(),
  browser: BrowserLikenessSchema.optional(),
  timeouts: TimeoutsSchema.optional(),
});
export type Crew = z.infer<typeof CrewSchema>;

/** A limit that a run must hold; times in ms, error rate in per cent. `transaction` null means all of them together. */
export const CriterionSchema = z.object({
  id: z.string(),
  measure: z.enum(['mean', 'p50', 'p90', 'p95', 'p99', 'error-rate']),
  transaction: z.string().nullable(),
  limit: z.number().min(0),
});
export type Criterion = z.infer<typeof CriterionSchema>;

/**
 * Ends a run early: where a figure of all transactions, or of one, is over a limit for so many seconds without a pause. Times in ms, error rate
 * in per cent.
 */
export const StopRuleSchema = z.object({
  id: z.string(),
  measure: z.enum(['mean', 'p95', 'error-rate']),
  transaction: z.string().nullable(),
  limit: z.number().min(0),
  forSeconds: z.number().int().min(1).max(3600),
});
export type StopRule = z.infer<typeof StopRuleSchema>;

/** What a figure of a host may come to on average over so many minutes, at any time: a short peak does not count. */
export const HostLimitSchema = z.object({
  id: z.string().min(1).max(64),
  /** Name of the host as it is watched; empty for every host that has the figure. */
  host: z.string().max(300).default(''),
  /** The figure, or a part of its name. */
  figure: z.string().min(1, 'Name the figure.').max(300),
  limit: z.number(),
  forMinutes: z.number().min(0.1).max(600).default(5),
});
export type HostLimit = z.infer<typeof HostLimitSchema>;

/** Crews, curve, pacing and criteria: what a run plays. */
export const WorkloadSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string(),
  crews: z.array(CrewSchema),
  curve: LoadCurveSchema,
  criteria: z.array(CriterionSchema),
  stopRules: z.array(StopRuleSchema).max(20).optional(),
  /** Limits of hosts that a run is judged by; they come from the brief when it starts. */
  hostLimits: z.array(HostLimitSchema).max(100).optional(),
  /** The run ends after so many seconds in any case; absent where the curve alone ends it. */
  limitSeconds: z.number().int().min(1).max(172_800).optional(),
  /** The environment in which it is always played; absent where it is played in the one that is chosen. */
  environmentId: z.string().optional(),
  generators: z.number().int().min(1).max(16),
  /** Where a generator is lost, the others take over its users; else they are missing from then on. */
  takesOver: z.boolean().optional(),
  seed: z.string(),
});
export type Workload = z.infer<typeof WorkloadSchema>;
