import * as z from 'zod';
import { CheckSchema, ComparisonSchema } from '../../check/check.schema.js';
import { ExtractorSchema } from '../../extractors/extractor.schema.js';

/** What was recorded in pieces, by their names, where it differs from what their values were first. */
export const RecordedSchema = z.record(z.string(), z.string()).optional();

/** A condition as text. */
export const ConditionTextSchema = z.strictObject({ left: z.string(), is: ComparisonSchema, right: z.string().optional() });
export type ConditionText = z.infer<typeof ConditionTextSchema>;

const limits = { atLeast: z.number().int().nonnegative().optional(), atMost: z.number().int().nonnegative().nullable().optional() };
const onFailure = CheckSchema.shape.onFailure.optional();
const own = { id: z.string().optional(), onFailure };

/** A check as text; the first key says what it looks at. */
export const CheckTextSchema = z.union([
  z.strictObject({ has: z.string().describe('a text that the answer holds'), ...own }),
  z.strictObject({ lacks: z.string().describe('a text that the answer does not hold'), ...own }),
  z.strictObject({ value: ExtractorSchema, is: ComparisonSchema, than: z.string().optional(), ...own }),
  z.strictObject({ count: ExtractorSchema, ...limits, ...own }),
  z.strictObject({ status: z.array(z.number().int().min(100).max(599)).min(1), ...own }),
  z.strictObject({ redirect: z.string().describe('a text in the address that a redirect leads to'), ...own }),
  z.strictObject({ size: z.strictObject(limits).describe('bytes'), ...own }),
  z.strictObject({ time: z.number().positive().describe('ms at most'), ...own }),
]);
export type CheckText = z.infer<typeof CheckTextSchema>;
