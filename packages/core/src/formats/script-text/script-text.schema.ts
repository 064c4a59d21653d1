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

/** What holds where a step does not say it: how long users wait for each other, in ms, and rounds of a loop that goes by something else. */
export const usualMeetMs = 30_000;
export const usualRounds = 50;

const id = z.string().optional();
const originText = z.string().optional().describe('where it goes to; left out, the origin of the script');
const PauseText = z.strictObject({ pause: z.number().nonnegative().describe('ms'), id, spread: SpreadSchema.optional() });
const CommentText = z.strictObject({ comment: z.string(), id });
const LogText = z.strictObject({ log: z.string(), id, recorded: RecordedSchema });
const VariableText = z.strictObject({ variable: z.string().min(1), value: z.string(), id, recorded: RecordedSchema });
const CookieText = z.strictObject({
  cookie: z.string().min(1),
  action: CookieStepSchema.shape.action.optional().describe('“set” where it is left out'),
  origin: originText,
  value: z.string().optional(),
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
  atMostMs: z.number().int().min(1).max(3_600_000).optional().describe(`${usualMeetMs} where it is left out`),
  id,
});
const BesideText = z.strictObject({ 'side-by-side': z.array(RequestTextSchema), id });

const repeatText = {
  repeat: z.string(),
  id,
  times: z
    .number()
    .int()
    .min(1)
    .max(10_000)
    .optional()
    .describe(`rounds; the most there are where it goes by something else, and then ${usualRounds} where it is left out`),
  pauseMs: z.number().nonnegative().optional().describe('0 where it is left out'),
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
  times?: number | undefined;
  pauseMs?: number | undefined;
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

/** Values of the script by their names. */
const handoffTexts = z
  .record(
    z.string(),
    z.strictObject({
      from: z.string().describe('id of the step whose response gives it'),
      hop: z.number().int().nonnegative().optional(),
      also: z.array(z.strictObject({ step: z.string(), hop: z.number().int().nonnegative().optional() })).optional(),
      extractor: ExtractorSchema,
      evidence: EvidenceSchema.optional().describe('“likely” where it is left out'),
      reason: z.string().optional(),
      recorded: z.string().optional(),
      id: z.string().optional(),
    }),
  )
  .optional();
const madeTexts = z
  .record(
    z.string(),
    z.strictObject({
      made: GeneratedValueSchema.shape.made,
      recorded: z.string().optional(),
      reason: z.string().optional(),
      id: z.string().optional(),
    }),
  )
  .optional();

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
  origin: z.string().optional().describe('where steps go to that do not say it themselves'),
  transactions: z.array(
    z.strictObject({
      transaction: z.string(),
      id,
      phase: TransactionSchema.shape.phase.describe('absent for what is played in each iteration'),
      part: TransactionSchema.shape.part.describe('id of the part of the project that the transaction is'),
      steps: z.array(StepTextSchema),
    }),
  ),
  handoffs: handoffTexts,
  made: madeTexts,
  unsure: z.array(UnsureText).optional(),
  files: z.record(z.string(), z.string()).optional().describe('stored bodies by their hash, in base64, where the script travels alone'),
});
export type ScriptText = z.infer<typeof ScriptTextSchema>;

/** A part as it is written in YAML: as a script, with its steps alone. Its id stands in `project.yaml`. */
export const PartTextSchema = z.strictObject({
  part: z.literal(scriptTextVersion).describe('version of this form'),
  name: z.string(),
  origin: ScriptTextSchema.shape.origin,
  steps: z.array(StepTextSchema),
  handoffs: handoffTexts,
  made: madeTexts,
  foreign: z
    .record(z.string(), z.strictObject({ id: z.string(), kind: z.enum(['handoff', 'made']) }))
    .optional()
    .describe('values that it sends and that are read or made elsewhere, by their names'),
});
export type PartText = z.infer<typeof PartTextSchema>;
