import * as z from 'zod';
import { ExtractorSchema } from '../extractors/extractor.schema.js';
import { TemplateSchema } from '../values/template.schema.js';

/** How two texts are compared; `less` and `more` compare them as numbers, `matches` takes the right one as an expression of RE2. */
export const ComparisonSchema = z.enum(['equals', 'differs', 'contains', 'lacks', 'matches', 'less', 'more', 'empty', 'filled']);
export type Comparison = z.infer<typeof ComparisonSchema>;

/** Something that is true or not while a script is played. */
export const ConditionSchema = z.object({ left: TemplateSchema, is: ComparisonSchema, right: TemplateSchema });
export type Condition = z.infer<typeof ConditionSchema>;

/** What a check looks at in the answer of its step. */
export const CheckedSchema = z.discriminatedUnion('kind', [
  /** A text that stands in the body, or does not; entities of a page are read as what they mean. */
  z.object({ kind: z.literal('text'), text: TemplateSchema, present: z.boolean() }),
  /** What an extractor reads, compared with a text. */
  z.object({ kind: z.literal('value'), extractor: ExtractorSchema, is: ComparisonSchema, than: TemplateSchema }),
  /** How many matches an extractor has. */
  z.object({
    kind: z.literal('count'),
    extractor: ExtractorSchema,
    atLeast: z.number().int().nonnegative(),
    atMost: z.number().int().nonnegative().nullable(),
  }),
  z.object({ kind: z.literal('status'), statuses: z.array(z.number().int().min(100).max(599)).min(1) }),
  /** Where a redirect leads to: a text that stands in its address. */
  z.object({ kind: z.literal('redirect'), to: TemplateSchema }),
  /** Bytes of the body as it was decoded. */
  z.object({
    kind: z.literal('size'),
    atLeast: z.number().int().nonnegative(),
    atMost: z.number().int().nonnegative().nullable(),
  }),
  /** Response time in ms. */
  z.object({ kind: z.literal('time'), atMostMs: z.number().positive() }),
]);
export type Checked = z.infer<typeof CheckedSchema>;

/** A check of an answer. `mark` counts the step as failed and leaves what follows to the crew. */
export const CheckSchema = z.object({
  id: z.string(),
  checked: CheckedSchema,
  onFailure: z.enum(['mark', 'next-iteration', 'stop-user']),
});
export type Check = z.infer<typeof CheckSchema>;
