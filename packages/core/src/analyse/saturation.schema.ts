import * as z from 'zod';

/** What a system came to on one step of a staircase. */
export const StairSchema = z.object({
  users: z.number(),
  /** Iterations a second. */
  perSecond: z.number(),
  fromSecond: z.number(),
  toSecond: z.number(),
});
export type Stair = z.infer<typeof StairSchema>;

/** With how many users throughput stops to grow, and what it grows to. */
export const SaturationSchema = z.object({
  stairs: z.array(StairSchema),
  /** Null where throughput was still growing on the last step. */
  users: z.number().nullable(),
  perSecond: z.number(),
  sentence: z.string(),
});
export type Saturation = z.infer<typeof SaturationSchema>;
