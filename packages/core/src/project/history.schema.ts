import * as z from 'zod';

/** Something in the history of a project: who allowed what, who took it back, and what made use of it. Nothing of it is ever changed. */
export const HistoryEntrySchema = z.object({
  id: z.string(),
  /** ISO 8601, UTC. */
  at: z.string(),
  /** Who did it, as their browser says. */
  by: z.string(),
  kind: z.enum(['cleared', 'withdrawn', 'used', 'refused']),
  /** The target that it is about. */
  origin: z.string(),
  /** Name of the environment. */
  environment: z.string(),
  /** What was done, in a sentence. */
  text: z.string(),
});
export type HistoryEntry = z.infer<typeof HistoryEntrySchema>;
