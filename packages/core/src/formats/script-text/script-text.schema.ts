import * as z from 'zod';
import { CookieStepSchema, SpreadSchema } from '../../script/step.schema.js';
import { EvidenceSchema, GeneratedValueSchema, TransactionSchema } from '../../script/script.schema.js';
import { ExtractorSchema } from '../../extractors/extractor.schema.js';
import { ConditionTextSchema, RecordedSchema, type ConditionText } from './check-text.schema.js';
import { LineTextSchema } from './line-text.js';
import { MessageTextSchema } from './message-text.js';
import { RequestTextSchema } from './request-text.js';

/** The version that this product writes; a reader refuses others by name. */
export const scriptTextVersion = 1;

const id = z.string().optional();
const PauseText = z.strictObject({ pause: z.number().nonnegative().describe('ms'), id, spread: SpreadSchema.optional() });
const CommentText = z.strictObject({ comment: z.string(), id });
const LogText = z.strictObject({ log: z.string(), id, recorded: RecordedSchema });
const VariableText = z.strictObject({ variable: z.string().min(1), value: z.string(), id, recorded: RecordedSchema });
const CookieText = z.strictObject({
  cookie: z.string().min(1),
  action: CookieStepSchema.shape.action,
  origin: z.string(),
  value: z.string(),
  id,
  recorded: RecordedSchema,
});
const CodeText = z.strictObject({
  code: z.string(),
  source: z.string(),
  id,
  timeMs: z.number().int().min(1).max(10_000).optional(),
  memoryMb: z.number().int().min(16).max(256).optional(),
});
const MeetText = z.strictObject({
  meet: z.string(),
  users: z.number().int().min(2).max(20_000),
  atMostMs: z.number().int().min(1).max(3_600_000),
  id,
});
const BesideText = z.strictObject({ 'side-by-side': z.array(RequestTextSchema), id });

const repeatText = {
  repeat: z.string(),
  id,
  times: z.number().int().min(1).max(10_000).describe('rounds; the most there are where it goes by something else'),
  pauseMs: z.number().nonnegative(),
  while: ConditionTextSchema.optional(),
  eachMatch: z.strictObject({ step: z.string(), extractor: ExtractorSchema, variable: z.string().min(1) }).optional(),
  eachRow: z.string().optional().describe('id of the data table of which each round takes a row'),
  recorded: RecordedSchema,
};
const whenText = { when: z.string(), condition: ConditionTextSchema, id, recorded: RecordedSchema };

type Recorded = z.infer<typeof RecordedSchema>;
/** A container as text. */
export interface RepeatText {
  repeat: string;
  id?: string | undefined;
  times: number;
  pauseMs: number;
  while?: ConditionText | undefined;
  eachMatch?: z.infer<(typeof repeatText)['eachMatch']>;
  eachRow?: string | undefined;
  recorded?: Recorded;
  steps: StepText[];
}
/** A container as text. */
export interface WhenText {
  when: string;
  condition: ConditionText;
  id?: string | undefined;
  recorded?: Recorded;
  steps: StepText[];
}

/** Steps that hold no others; those that act have their text form in a file of their kind. */
const leaves = [
  RequestTextSchema,
  MessageTextSchema,
  LineTextSchema,
  PauseText,
  CommentText,
  LogText,
  VariableText,
  CookieText,
  CodeText,
  MeetText,
  BesideText,
] as const;

/** A step as text; the first key says its kind. */
export type StepText = z.infer<(typeof leaves)[number]> | RepeatText | WhenText;

export const StepTextSchema: z.ZodType<StepText> = z.lazy(() =>
  z.union([
    ...leaves,
    z.strictObject({ ...repeatText, steps: z.array(StepTextSchema) }),
    z.strictObject({ ...whenText, steps: z.array(StepTextSchema) }),
  ]),
);

const UnsureText = z.strictObject({
  step: z.string(),
  place: z.string(),
  value: z.string(),
  reason: z.string(),
  origin: z.string().nullable(),
  extractor: ExtractorSchema.nullable(),
});

/** A script as it is written in YAML: names instead of ids, texts with `~{name}` instead of lists of pieces. */
export const ScriptTextSchema = z.strictObject({
  script: z.literal(scriptTextVersion).describe('version of this form'),
  name: z.string(),
  transactions: z.array(
    z.strictObject({
      transaction: z.string(),
      id,
      phase: TransactionSchema.shape.phase.describe('absent for what is played in each iteration'),
      part: TransactionSchema.shape.part.describe('id of the part of the project that the transaction is'),
      steps: z.array(StepTextSchema),
    }),
  ),
  handoffs: z
    .record(
      z.string(),
      z.strictObject({
        from: z.string().describe('id of the step whose response gives it'),
        hop: z.number().int().nonnegative().optional(),
        also: z.array(z.strictObject({ step: z.string(), hop: z.number().int().nonnegative().optional() })).optional(),
        extractor: ExtractorSchema,
        evidence: EvidenceSchema,
        reason: z.string(),
        recorded: z.string(),
        id: z.string().optional(),
      }),
    )
    .optional(),
  made: z.record(z.string(), GeneratedValueSchema.omit({ id: true, name: true }).extend({ id: z.string().optional() })).optional(),
  unsure: z.array(UnsureText).optional(),
  files: z.record(z.string(), z.string()).optional().describe('stored bodies by their hash, in base64, where the script travels alone'),
});
export type ScriptText = z.infer<typeof ScriptTextSchema>;
