import * as z from 'zod';
import { BodyRefSchema } from '../take/take.schema.js';
import { EvidenceSchema } from '../script/script.schema.js';
import { ExtractorSchema } from '../extractors/extractor.schema.js';
import { ProofSchema } from '../rehearse/proof.schema.js';
import { TriedSchema } from '../rehearse/hypothesis.schema.js';
import { DivergenceSchema, rehearsalResults, VerdictSchema } from '../rehearse/rehearsal.schema.js';

/** The version of the report files. */
export const reportVersion = 1;

const StepRef = z.object({ id: z.string(), number: z.number().int().describe('from 1, requests only'), name: z.string() });
/** What correlating or repairing added, as `CorrelationReport` says it. */
export const CorrelationReportSchema = z.object({
  handoffs: z.array(z.object({ name: z.string(), evidence: EvidenceSchema, reason: z.string(), uses: z.number().int() })),
  made: z.array(z.object({ name: z.string(), reason: z.string() })),
  eased: z.array(z.object({ step: z.number().int(), reason: z.string() })).describe('expectations that were widened'),
  replaced: z
    .array(z.object({ step: z.number().int(), reason: z.string() }))
    .default([])
    .describe('handoffs that are read elsewhere now, or are none any more'),
  unsure: z.number().int(),
});

/** What `sturdy correlate` writes: every decision with its reason. */
export const CorrelationFileSchema = z.object({
  report: z.literal('correlation'),
  version: z.literal(reportVersion),
  script: z.string().describe('name of the script'),
  takes: z.array(
    z.object({
      file: z.string(),
      exchanges: z.number().int(),
      problems: z.array(z.object({ entry: z.number().int(), text: z.string() })).describe('entries that were left out'),
    }),
  ),
  findings: z.array(z.string()).describe('what is suspicious about the first take'),
  steps: z.number().int(),
  coverage: z
    .object({
      sent: z.number().int(),
      handedOff: z.number().int(),
      data: z.number().int(),
      clientMade: z.number().int(),
      fixed: z.number().int(),
      unsure: z.number().int(),
    })
    .describe('what becomes of the values that the script sends'),
  handoffs: z.array(
    z.object({
      name: z.string(),
      evidence: EvidenceSchema,
      reason: z.string(),
      reads: z.string().describe('how it is read, in words'),
      extractor: ExtractorSchema,
      origins: z.array(StepRef),
      uses: z.array(StepRef.extend({ place: z.string() })),
    }),
  ),
  made: z.array(z.object({ name: z.string(), made: z.string(), reason: z.string(), uses: z.array(StepRef.extend({ place: z.string() })) })),
  unsure: z.array(z.object({ step: StepRef, place: z.string(), reason: z.string() })),
});
export type CorrelationFile = z.infer<typeof CorrelationFileSchema>;

const Replayed = z.object({
  status: z.number().int().nullable(),
  durationMs: z.number(),
  url: z.string(),
  body: BodyRefSchema.nullable(),
});

const RehearsalOfFile = z.object({
  startedAt: z.string(),
  verdict: VerdictSchema,
  divergence: DivergenceSchema.nullable().describe('where and why the replay first left the take'),
  steps: z.array(
    StepRef.extend({
      verdict: VerdictSchema,
      reasons: z.array(z.string()),
      said: z.array(z.string()).describe('what the server says of trouble, and the take does not'),
      stale: z
        .array(z.object({ name: z.string(), place: z.string(), origin: StepRef }))
        .describe('values sent as recorded though the server now gives others'),
      replayed: Replayed.nullable().describe('null where the step was not sent'),
    }),
  ),
});

/** What `sturdy rehearse` writes: each round with its verdicts, and what was repaired after it. */
export const RehearsalFileSchema = z.object({
  report: z.literal('rehearsal'),
  version: z.literal(reportVersion),
  script: z.string(),
  environment: z.object({ name: z.string(), targets: z.array(z.string()) }),
  verdict: VerdictSchema.describe('of the last round'),
  result: z
    .enum(rehearsalResults)
    .describe('proven: passed twice in a row and seen to have done what the takes did; unproven: passed, but not seen'),
  proof: ProofSchema.nullable().describe('what was seen to be made and changed, and what stays open; null where it did not pass'),
  rounds: z.array(
    z.object({
      rehearsal: RehearsalOfFile,
      repaired: CorrelationReportSchema.nullable(),
      tried: z.array(TriedSchema).describe('what the changes before this round rested on, and whether it came further with them'),
    }),
  ),
});
export type RehearsalFile = z.infer<typeof RehearsalFileSchema>;
