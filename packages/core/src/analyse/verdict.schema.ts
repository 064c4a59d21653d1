import * as z from 'zod';
import { CriterionSchema } from '../workload/workload.schema.js';

/** One criterion with what was measured. `margin` is in per cent of the limit; below 0 the limit was passed. */
export const CriterionVerdictSchema = z.object({
  criterion: CriterionSchema,
  held: z.boolean(),
  measured: z.number().nullable(),
  marginPercent: z.number().nullable(),
  sentence: z.string(),
});
export type CriterionVerdict = z.infer<typeof CriterionVerdictSchema>;
