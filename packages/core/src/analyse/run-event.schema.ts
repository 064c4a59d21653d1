import * as z from 'zod';

/** Something that happened in a run, or that somebody noted. */
export const RunEventSchema = z.object({
  second: z.number().int(),
  kind: z.enum(['users', 'pause', 'resume', 'phase', 'silent', 'heard', 'lost', 'ceiling', 'end', 'note']),
  text: z.string(),
  /** Of `users`: the crew, and how many it has from then on. */
  crew: z.string().optional(),
  users: z.number().int().optional(),
  /** Of `phase`: the seconds of the curve that were passed over. */
  skippedSeconds: z.number().optional(),
  /** Of `silent` and `heard`: the generator, and for how long nothing was heard of it. */
  generator: z.number().int().optional(),
  silentSeconds: z.number().optional(),
  /** Of `ceiling`: the target whose ceiling was reached. */
  origin: z.string().optional(),
});
export type RunEvent = z.infer<typeof RunEventSchema>;
