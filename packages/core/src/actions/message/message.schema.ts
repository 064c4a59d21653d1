import * as z from 'zod';
import { CheckedSchema, CheckSchema } from '../../check/check.schema.js';
import { BodyRefSchema } from '../../take/take.schema.js';
import { TemplateSchema } from '../../values/template.schema.js';
import { ContentSchema, HarmlessSchema } from '../content.schema.js';

/** ms that a message is waited for where the script does not say otherwise. */
export const usualAwaitMs = 10_000;

/** Which message over a WebSocket is waited for: the first one for which all of this holds. */
export const AwaitedSchema = z.object({
  /** Places that hold what stands at the same place of the message sent (JSON Pointer, RFC 6901). */
  same: z.array(z.string().regex(/^\//)),
  /** What holds of the message; empty where any will do. */
  holds: z.array(CheckedSchema),
  atMostMs: z.number().int().min(1).max(600_000),
});
export type Awaited = z.infer<typeof AwaitedSchema>;

/** What a good message looks like. */
export const MessageExpectationSchema = z.object({
  /** Kind of content of the message that is waited for; null where the take had none. */
  content: ContentSchema.nullable(),
  /** Differences from the take that the tester looked at and takes as harmless in this step. */
  harmless: HarmlessSchema.optional(),
});
export type MessageExpectation = z.infer<typeof MessageExpectationSchema>;

/**
 * A message over a WebSocket (RFC 6455) that a request of the script has opened: it is sent, waited for, or the WebSocket is closed. A message that is
 * waited for is the answer of the step.
 */
export const MessageStepSchema = z
  .object({
    kind: z.literal('message'),
    id: z.string(),
    name: z.string(),
    /** Number of the record in the take; null for a step made by hand. */
    exchange: z.number().int().nullable(),
    /** The WebSocket, by the name that the request which opens it gives. It goes where that one goes. */
    socket: z.string().min(1),
    action: z.enum(['send', 'await', 'close']),
    /** How it is sent. */
    format: z.enum(['text', 'binary']),
    /** The message that is sent; null where none is, or a stored body is. */
    body: TemplateSchema.nullable(),
    /** Hash of a stored body that is sent as it is. */
    bodyFile: z.string().nullable(),
    /** The message that is waited for; null where none is. */
    awaits: AwaitedSchema.nullable(),
    expect: MessageExpectationSchema,
    /** Looked at one after another, once the message is as expected; absent where there are none. */
    checks: z.array(CheckSchema).optional(),
  })
  .refine(({ action, awaits }) => action !== 'await' || awaits !== null, {
    error: 'A step that waits for a message has to say which one.',
    path: ['awaits'],
  })
  .refine(({ action, awaits }) => action !== 'close' || awaits === null, {
    error: 'A step that closes a WebSocket waits for no message.',
    path: ['awaits'],
  });
export type MessageStep = z.infer<typeof MessageStepSchema>;

/** A message as it was played, and the one that answered it. */
export const CapturedMessageSchema = z.object({
  kind: z.literal('message'),
  step: z.string(),
  /** ms since the start of the rehearsal, or of the run. */
  startedAtMs: z.number(),
  durationMs: z.number(),
  action: z.enum(['send', 'await', 'close']),
  /** Where its WebSocket leads. */
  url: z.string(),
  /** What was sent; null where nothing was. */
  sent: BodyRefSchema.nullable(),
  /** The message that was waited for; null where none was, or none came. */
  answer: BodyRefSchema.nullable(),
  /** Why it could not be performed, in a sentence. */
  failure: z.string().nullable(),
  /** The code of what the engine found wrong with the step; absent where it found nothing. */
  failureCode: z.string().optional(),
  /** What the checks of the step found wrong, in sentences; absent where they hold. */
  checks: z.array(z.string()).optional(),
  /** Phases in ms by their names; -1 for one that did not happen. */
  timings: z.record(z.string(), z.number()),
});
export type CapturedMessage = z.infer<typeof CapturedMessageSchema>;
