import * as z from 'zod';
import { BodyRefSchema, HeaderSchema, TimingsSchema } from '../../take/take.schema.js';

const answerFields = {
  status: z.number().int(),
  statusText: z.string(),
  headers: z.array(HeaderSchema),
  body: BodyRefSchema.nullable(),
};

/** A request as it was sent while playing, and what came back. */
export const CapturedRequestSchema = z.object({
  kind: z.literal('request'),
  step: z.string(),
  /** ms since the start of the rehearsal, or of the run. */
  startedAtMs: z.number(),
  durationMs: z.number(),
  request: z.object({
    method: z.string(),
    url: z.string(),
    headers: z.array(HeaderSchema),
    body: BodyRefSchema.nullable(),
  }),
  response: z.object(answerFields).nullable(),
  /** Answers of the redirects that were followed, in order. */
  hops: z.array(z.object(answerFields)).optional(),
  /** Why there is no response, in a sentence. */
  failure: z.string().nullable(),
  /** The code of what the engine found wrong with the step; absent where it found nothing. */
  failureCode: z.string().optional(),
  /** What the checks of the step found wrong, in sentences; absent where they hold. */
  checks: z.array(z.string()).optional(),
  timings: TimingsSchema,
});
export type CapturedRequest = z.infer<typeof CapturedRequestSchema>;
