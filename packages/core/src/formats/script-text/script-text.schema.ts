import * as z from 'zod';
import { EvidenceSchema, ExpectationSchema, ExtractorSchema, MadeSchema } from '../../script/script.schema.js';

/** The version that this product writes; a reader refuses others by name. */
export const scriptTextVersion = 1;

const Recorded = z.record(z.string(), z.string()).optional();

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
});
export type RequestText = z.infer<typeof RequestText>;

const PauseText = z.strictObject({ pause: z.number().nonnegative().describe('ms'), id: z.string().optional() });
const CommentText = z.strictObject({ comment: z.string(), id: z.string().optional() });
const BesideText = z.strictObject({ 'side-by-side': z.array(RequestText), id: z.string().optional() });

/** A step as text; the first key says its kind. */
export type StepText =
  | RequestText
  | z.infer<typeof PauseText>
  | z.infer<typeof CommentText>
  | z.infer<typeof BesideText>
  | { repeat: string; id?: string | undefined; times: number; pauseMs: number; steps: StepText[] };

export const StepTextSchema: z.ZodType<StepText> = z.lazy(() =>
  z.union([
    RequestText,
    PauseText,
    CommentText,
    BesideText,
    z.strictObject({
      repeat: z.string(),
      id: z.string().optional(),
      times: z.number().int().min(1).max(10_000),
      pauseMs: z.number().nonnegative(),
      steps: z.array(StepTextSchema),
    }),
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
  transactions: z.array(z.strictObject({ transaction: z.string(), id: z.string().optional(), steps: z.array(StepTextSchema) })),
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
