import * as z from 'zod';
import { TakeSchema } from '../take/take.schema.js';

/** How the second take came about that the product made by itself. */
export const MadeSecondTakeSchema = z.object({
  /** Null where nothing of it is worth to be kept. */
  take: TakeSchema.nullable(),
  played: z.number().int(),
  total: z.number().int(),
  /** Times that it was begun: other values that led astray were played as recorded the next time. */
  rounds: z.number().int(),
  /** What was played otherwise, by its gesture. */
  changed: z.array(z.object({ n: z.number().int(), words: z.string() })),
  /** What a person had been free in, and was played as recorded because another value led astray. */
  asRecorded: z.array(z.object({ n: z.number().int(), words: z.string() })),
  /** Elements that only a later way led to: the page has changed since. */
  drifted: z.array(z.object({ n: z.number().int(), words: z.string() })),
  /** The gesture that could not be played, and why. */
  failure: z.object({ n: z.number().int(), words: z.string(), sentence: z.string() }).nullable(),
});
export type MadeSecondTake = z.infer<typeof MadeSecondTakeSchema>;

/** How far the making of a second take is. */
export const PlayingProgressSchema = z.object({
  done: z.number().int(),
  total: z.number().int(),
  round: z.number().int(),
  /** What is being done, as a sentence. */
  words: z.string(),
  /** Why a person has to do it in the window, and then to go on; null where nobody has to. */
  waitsFor: z.string().nullable(),
});
export type PlayingProgress = z.infer<typeof PlayingProgressSchema>;
