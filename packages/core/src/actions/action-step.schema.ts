import * as z from 'zod';
import { CapturedRequestSchema } from './http/captured-request.schema.js';
import { RequestStepSchema } from './http/request.schema.js';
import { CapturedLineSchema, LineStepSchema } from './line/line.schema.js';
import { CapturedMessageSchema, MessageStepSchema } from './message/message.schema.js';

/** The steps that act on an application; `actionKinds` tells what the rest of the program needs to know of each kind. */
export const actionStepSchemas = [RequestStepSchema, MessageStepSchema, LineStepSchema] as const;
export type ActionStep = z.infer<(typeof actionStepSchemas)[number]>;
export type ActionStepKind = ActionStep['kind'];

/** An action step as it was played. Those that were stored by earlier versions have no kind: they are requests. */
export const CapturedStepSchema = z.preprocess(
  (stored) => (typeof stored === 'object' && stored !== null && !('kind' in stored) ? { ...stored, kind: 'request' } : stored),
  z.discriminatedUnion('kind', [CapturedRequestSchema, CapturedMessageSchema, CapturedLineSchema]),
);
export type CapturedStep = z.infer<typeof CapturedStepSchema>;
