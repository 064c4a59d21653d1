import * as z from 'zod';
import { BriefSchema, SignatureSchema } from './brief.schema.js';
import { SizingRowSchema } from './sizing.js';

/** A brief with what follows from it. */
export const BriefViewSchema = z.object({
  brief: BriefSchema,
  signatures: z.array(
    SignatureSchema.omit({ signed: true }).extend({
      holds: z.boolean(),
      /** What of the brief was changed since, by its headings; empty where nothing was, or nobody knows. */
      changed: z.array(z.string()),
      /** True where what was signed is there to be read. */
      isKept: z.boolean(),
    }),
  ),
  /** Who has to be asked again, in a sentence; null where nobody has to. */
  askAgain: z.string().nullable(),
  sizing: z.array(SizingRowSchema),
});
export type BriefView = z.infer<typeof BriefViewSchema>;
