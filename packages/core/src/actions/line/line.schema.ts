import * as z from 'zod';
import { CheckSchema } from '../../check/check.schema.js';
import { TemplateSchema } from '../../values/template.schema.js';

/**
 * A line of text sent over a TCP connection, and the line that answers it, as label printers, scales and the like speak. Lines end with a line feed; a
 * carriage return before it belongs to the end. All such steps of a virtual user that go to one origin share a connection.
 */
export const LineStepSchema = z.object({
  kind: z.literal('line'),
  id: z.string(),
  name: z.string(),
  /** Where the connection leads, such as `tcp://127.0.0.1:9100`; the environment maps it. */
  origin: z.string(),
  /** The line to be sent, without its end; null where the step only connects, or waits for a line. */
  send: TemplateSchema.nullable(),
  /** A text that the answering line holds; empty where any line will do, null where no line is awaited. */
  expect: TemplateSchema.nullable(),
  /** Looked at one after another, once the line is as expected; absent where there are none. */
  checks: z.array(CheckSchema).optional(),
});
export type LineStep = z.infer<typeof LineStepSchema>;

/** A line as it was sent while playing, and the line that came back. */
export const CapturedLineSchema = z.object({
  kind: z.literal('line'),
  step: z.string(),
  /** ms since the start of the rehearsal, or of the run. */
  startedAtMs: z.number(),
  durationMs: z.number(),
  /** Origin that was connected to. */
  origin: z.string(),
  /** The line that was sent; null where none was. */
  sent: z.string().nullable(),
  /** The line that came; null where none was awaited, or none came. */
  answer: z.string().nullable(),
  /** Why it could not be performed, in a sentence. */
  failure: z.string().nullable(),
  /** The code of what the engine found wrong with the step; absent where it found nothing. */
  failureCode: z.string().optional(),
  /** What the expectation and the checks of the step found wrong, in sentences; absent where they hold. */
  checks: z.array(z.string()).optional(),
  /** Phases in ms by their names; -1 for one that did not happen. */
  timings: z.record(z.string(), z.number()),
});
export type CapturedLine = z.infer<typeof CapturedLineSchema>;
