import * as z from 'zod';

/** Something that the flow did, as it was seen in both rehearsals. */
export const SeenActSchema = z.object({
  step: z.string(),
  number: z.number().int(),
  /** What was seen, in words: “thing 20431, then 20432”. */
  what: z.string(),
});

/** Something that keeps a pass from being proven, and what would prove it. */
export const OpenPointSchema = z.object({
  step: z.string().nullable(),
  number: z.number().int(),
  sentence: z.string(),
  advice: z.string(),
  /** What it is about, for repair: a value that was sent, with its place. */
  about: z.object({ place: z.string(), value: z.string() }).optional(),
  kind: z.enum(['not-new', 'not-shown', 'still-recorded', 'unseen', 'said', 'once', 'overwritten']),
});
export type OpenPoint = z.infer<typeof OpenPointSchema>;

/** Whether two rehearsals that passed did what the takes did. */
export const ProofSchema = z.object({
  state: z.enum(['proven', 'unproven']),
  /** Things that each rehearsal made for itself. */
  made: z.array(SeenActSchema),
  /** What was sent and shown again by the things of this rehearsal. */
  changed: z.array(SeenActSchema),
  open: z.array(OpenPointSchema),
});
export type Proof = z.infer<typeof ProofSchema>;
