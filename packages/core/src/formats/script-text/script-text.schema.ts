import * as z from 'zod';
import { CheckSchema, ComparisonSchema } from '../../check/check.schema.js';
import { CookieStepSchema, SpreadSchema } from '../../script/step.schema.js';
import { ExpectationSchema } from '../../actions/http/request.schema.js';
import { EvidenceSchema, MadeSchema, TransactionSchema } from '../../script/script.schema.js';
import { ExtractorSchema } from '../../answers/extractor.schema.js';

/** The version that this product writes; a reader refuses others by name. */
export const scriptTextVersion = 1;

const Recorded = z.record(z.string(), z.string()).optional();

const ConditionText = z.strictObject({ left: z.string(), is: ComparisonSchema, right: z.string().optional() });
export type ConditionText = z.infer<typeof ConditionText>;

const limits = { atLeast: z.number().int().nonnegative().optional(), atMost: z.number().int().nonnegative().nullable().optional() };
const onFailure = CheckSchema.shape.onFailure.optional();
const own = { id: z.string().optional(), onFailure };

/** A check as text; the first key says what it looks at. */
export const CheckTextSchema = z.union([
  z.strictObject({ has: z.string().describe('a text that the answer holds'), ...own }),
  z.strictObject({ lacks: z.string().describe('a text that the answer does not hold'), ...own }),
  z.strictObject({ value: ExtractorSchema, is: ComparisonSchema, than: z.string().optional(), ...own }),
  z.strictObject({ count: ExtractorSchema, ...limits, ...own }),
  z.strictObject({ status: z.array(z.number().int().min(100).max(599)).min(1), ...own }),
  z.strictObject({ redirect: z.string().describe('a text in the address that a redirect leads to'), ...own }),
  z.strictObject({ size: z.strictObject(limits).describe('bytes'), ...own }),
  z.strictObject({ time: z.number().positive().describe('ms at most'), ...own }),
]);
export type CheckText = z.infer<typeof CheckTextSchema>;

const AwaitedText = z.strictObject({
  same: z.array(z.string()).optional().describe('places (JSON Pointer) that repeat what was sent there'),
  holds: z.array(CheckTextSchema).optional().describe('what holds of the message'),
  atMostMs: z.number().int().min(1).max(600_000),
});

/** What a step does with a WebSocket, as text; the first key says it. */
export const SocketTextSchema = z.union([
  z.strictObject({ open: z.string().min(1).describe('the name by which later steps know the WebSocket') }),
  z.strictObject({
    send: z.string().min(1).describe('the WebSocket over which the body is sent'),
    format: z.enum(['text', 'binary']).optional(),
    awaits: AwaitedText.optional(),
  }),
  z.strictObject({ await: z.string().min(1), awaits: AwaitedText }),
  z.strictObject({ close: z.string().min(1) }),
]);
export type SocketText = z.infer<typeof SocketTextSchema>;

const RequestText = z.strictObject({
  request: z.string().describe('method and name, such as “POST /sign-in”'),
  id: z.string(),
  exchange: z.number().int().nullable().optional(),
  hops: z.array(z.number().int()).optional(),
  origin: z.string(),
  url: z.string(),
  headers: z.array(z.record(z.string(), z.string())).optional(),
  body: z.string().optional(),
  bodyFile: z.string().optional().describe('hash of a stored body that is sent as it is'),
  recorded: Recorded.describe('what was recorded in a piece, where it differs from what its value was first'),
  expect: ExpectationSchema.partial().optional(),
  followRedirects: z.boolean().optional(),
  checks: z.array(CheckTextSchema).optional(),
  socket: SocketTextSchema.optional(),
  http2: z.literal(true).optional(),
});
export type RequestText = z.infer<typeof RequestText>;

const id = z.string().optional();
const PauseText = z.strictObject({ pause: z.number().nonnegative().describe('ms'), id, spread: SpreadSchema.optional() });
const CommentText = z.strictObject({ comment: z.string(), id });
const LogText = z.strictObject({ log: z.string(), id, recorded: Recorded });
const VariableText = z.strictObject({ variable: z.string().min(1), value: z.string(), id, recorded: Recorded });
const CookieText = z.strictObject({
  cookie: z.string().min(1),
  action: CookieStepSchema.shape.action,
  origin: z.string(),
  value: z.string(),
  id,
  recorded: Recorded,
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
const BesideText = z.strictObject({ 'side-by-side': z.array(RequestText), id });

const repeatText = {
  repeat: z.string(),
  id,
  times: z.number().int().min(1).max(10_000).describe('rounds; the most there are where it goes by something else'),
  pauseMs: z.number().nonnegative(),
  while: ConditionText.optional(),
  eachMatch: z.strictObject({ step: z.string(), extractor: ExtractorSchema, variable: z.string().min(1) }).optional(),
  eachRow: z.string().optional().describe('id of the data table of which each round takes a row'),
  recorded: Recorded,
};
const whenText = { when: z.string(), condition: ConditionText, id, recorded: Recorded };

type Recorded = z.infer<typeof Recorded>;
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

const leaves = [RequestText, PauseText, CommentText, LogText, VariableText, CookieText, CodeText, MeetText, BesideText] as const;

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
  made: z.record(z.string(), MadeSchema.omit({ id: true, name: true }).extend({ id: z.string().optional() })).optional(),
  unsure: z.array(UnsureText).optional(),
  files: z.record(z.string(), z.string()).optional().describe('stored bodies by their hash, in base64, where the script travels alone'),
});
export type ScriptText = z.infer<typeof ScriptTextSchema>;
