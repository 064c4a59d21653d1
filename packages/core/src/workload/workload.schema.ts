import * as z from 'zod';
import { WrittenFailureSignSchema } from '../check/failure-sign.js';
import { CredentialSchema, TrustSchema } from '../sign-in/credential.schema.js';

/** Pauses of a script as they are played. */
export const ThinkTimeSchema = z.object({
  kind: z.enum(['recorded', 'scaled', 'fixed', 'none']),
  /** For `scaled`: 1 is as recorded. */
  factor: z.number().min(0).max(100),
  /** For `fixed`, in ms. */
  ms: z.number().min(0).max(3_600_000),
  /** Pauses above this many ms are capped to it. */
  capMs: z.number().min(0).max(3_600_000),
});
export type ThinkTime = z.infer<typeof ThinkTimeSchema>;

/** Time from the start of one iteration to the start of the next; `none` starts at once. */
export const PacingSchema = z.object({ kind: z.enum(['none', 'start-to-start']), seconds: z.number().min(0).max(86_400) });
export type Pacing = z.infer<typeof PacingSchema>;

/** A number of virtual users that play the same script under the same settings. */
export const CrewSchema = z.object({
  id: z.string(),
  name: z.string(),
  scriptId: z.string(),
  users: z.number().int().min(1).max(20_000),
  think: ThinkTimeSchema,
  pacing: PacingSchema,
  /** Iterations that each user plays at most; null where only the curve ends it. */
  iterations: z.number().int().min(1).max(1_000_000).nullable().optional(),
  onFailure: z.enum(['go-on', 'next-iteration', 'stop-user', 'end-run']),
});
export type Crew = z.infer<typeof CrewSchema>;

/** Ramp-up, hold and ramp-down in seconds, and what a virtual user finishes at its end. */
export const LoadCurveSchema = z.object({
  rampUpSeconds: z.number().min(0).max(86_400),
  holdSeconds: z.number().min(1).max(86_400),
  rampDownSeconds: z.number().min(0).max(86_400),
  atEnd: z.enum(['iteration', 'step']),
});
export type LoadCurve = z.infer<typeof LoadCurveSchema>;

/** A limit that a run must hold; times in ms, error rate in per cent. `transaction` null means all of them together. */
export const CriterionSchema = z.object({
  id: z.string(),
  measure: z.enum(['mean', 'p50', 'p90', 'p95', 'p99', 'error-rate']),
  transaction: z.string().nullable(),
  limit: z.number().min(0),
});
export type Criterion = z.infer<typeof CriterionSchema>;

/** Crews, curve, pacing and criteria: what a run plays. */
export const WorkloadSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string(),
  crews: z.array(CrewSchema),
  curve: LoadCurveSchema,
  criteria: z.array(CriterionSchema),
  generators: z.number().int().min(1).max(16),
  seed: z.string(),
});
export type Workload = z.infer<typeof WorkloadSchema>;

/** One place where the system under test runs. */
export const EnvironmentSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string(),
  /** Origins that may be hit, such as `http://127.0.0.1:4701`. */
  targets: z.array(z.string()),
  /** Recorded origin to the origin that is hit instead. */
  map: z.record(z.string(), z.string()),
  /** How one signs in at the door of a target. */
  credentials: z.array(CredentialSchema).default([]),
  trust: TrustSchema.default({ authorities: '', checksCertificates: true }),
  /** Proxy that stands between this machine and the targets, such as `http://127.0.0.1:3128`; empty for none. */
  upstreamProxy: z
    .string()
    .refine((text) => text === '' || (URL.canParse(text) && /^https?:$/.test(new URL(text).protocol)), {
      message: 'Write the address of an HTTP proxy, such as http://127.0.0.1:3128, or leave it empty.',
    })
    .default(''),
  /** Values that scripts take by name, and that differ from environment to environment. */
  variables: z.record(z.string(), z.string()).default({}),
  /** What no good answer holds, whatever its status: “Your session has expired”. Those of the project are added when it is played. */
  failureSigns: z.array(WrittenFailureSignSchema).default([]),
});
export type Environment = z.infer<typeof EnvironmentSchema>;
