import * as z from 'zod';
import { CheckSchema } from '../../check/check.schema.js';
import { ComparisonSchema } from '../../check/comparison.js';
import { checkedShapes, type CheckedText } from './check-texts.js';

/** What was recorded in pieces, by their names, where it differs from what their values were first. */
export const RecordedSchema = z.record(z.string(), z.string()).optional();

/** A condition as text. */
export const ConditionTextSchema = z.strictObject({ left: z.string(), is: ComparisonSchema, right: z.string().optional() });
export type ConditionText = z.infer<typeof ConditionTextSchema>;

const ownKeys = { id: z.string().optional(), onFailure: CheckSchema.shape.onFailure.optional() };

/** A check as text; the first key says what it looks at. */
export type CheckText = CheckedText & { id?: string | undefined; onFailure?: z.infer<typeof CheckSchema>['onFailure'] | undefined };
export const CheckTextSchema = z.union(checkedShapes.map((shape) => shape.extend(ownKeys))) as unknown as z.ZodType<CheckText>;
