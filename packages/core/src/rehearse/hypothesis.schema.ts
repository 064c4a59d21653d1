import * as z from 'zod';

export const hypothesisKinds = [
  'stale-value',
  'must-be-new',
  'wrong-handoff',
  'read-elsewhere',
  'unsure-value',
  'wider-redirect',
  'client-made',
] as const;

/** What may be the reason that a rehearsal left the take, and the change of the script that would tell. */
export const HypothesisSchema = z.object({
  /** Names the same supposition in every round. */
  id: z.string(),
  kind: z.enum(hypothesisKinds),
  step: z.string(),
  number: z.number().int(),
  /** What is supposed and why, in a sentence. */
  sentence: z.string(),
  /** How likely it is from all that is known, 0 to 1. */
  likelihood: z.number().min(0).max(1),
});
export type Hypothesis = z.infer<typeof HypothesisSchema>;

/** A hypothesis that was tried in a rehearsal, and what that told. */
export const TriedSchema = HypothesisSchema.extend({ outcome: z.enum(['helped', 'taken back', 'kept']) });
export type Tried = z.infer<typeof TriedSchema>;
