import * as z from 'zod';

/** Where a value is sent: a place as the script names it, its outer wrapping or its inner one. */
export const SentPlaceSchema = z.enum(['path', 'query', 'form', 'json', 'xml', 'header', 'cookie']);
/** Where a response gives a value. `text` is what only boundaries can lead to, such as an inline script. */
export const ReceivedPlaceSchema = z.enum(['header', 'cookie', 'field', 'attribute', 'json', 'xml', 'text']);

/**
 * What is known of one kind of value: how it is called and looks where it is sent, and where the response gives it. Expressions are
 * those of RE2, compared without regard to case; an empty one, like an empty list of places, allows everything.
 */
export const HandoffPatternSchema = z.object({
  id: z.string().min(1),
  name: z.string().min(1, 'Give the pattern a name.'),
  /** The convention, and where it is published. */
  about: z.string(),
  enabled: z.boolean(),
  sent: z.object({ in: z.array(SentPlaceSchema), name: z.string(), value: z.string() }),
  received: z.object({
    in: z.array(ReceivedPlaceSchema),
    /** Empty where it must be called there as it is where it is sent. */
    name: z.string(),
    /** True where only the answer to a change (any method but GET) counts. */
    afterChange: z.boolean(),
  }),
  /** `hand-off` makes a handoff of it; `leave` sends it as recorded unless a second take or a rehearsal proves that it moves. */
  decision: z.enum(['hand-off', 'leave']),
});
export type HandoffPattern = z.infer<typeof HandoffPatternSchema>;

/** A file of patterns. */
export const PatternFileSchema = z.object({
  patterns: z.literal(1).describe('version of this format'),
  list: z.array(HandoffPatternSchema),
});
