import * as z from 'zod';
import { CriterionSchema, HostLimitSchema } from '../workload/workload.schema.js';

/** One criterion with what was measured. `margin` is in per cent of the limit; below 0 the limit was passed. */
export const CriterionVerdictSchema = z.object({
  criterion: CriterionSchema,
  held: z.boolean(),
  measured: z.number().nullable(),
  marginPercent: z.number().nullable(),
  sentence: z.string(),
});
export type CriterionVerdict = z.infer<typeof CriterionVerdictSchema>;

/** What a limit of a host came to in a run. */
export const HostVerdictSchema = z.object({
  limit: HostLimitSchema,
  held: z.boolean(),
  /** The highest average; null where the figure was not read. */
  measured: z.number().nullable(),
  marginPercent: z.number().nullable(),
  /** When the highest average began. */
  second: z.number().nullable(),
  sentence: z.string(),
});
export type HostVerdict = z.infer<typeof HostVerdictSchema>;
