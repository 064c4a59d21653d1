import * as z from 'zod';
import { UsedEnvironmentSchema } from '../environment/environment.schema.js';
import { CapturedStepSchema } from '../actions/action-step.schema.js';
import { ProofSchema } from './proof.schema.js';
import { ExpectationSchema } from '../actions/http/request.schema.js';
import { ExtractorSchema } from '../extractors/extractor.schema.js';
import { MessageExpectationSchema } from '../actions/message/message.schema.js';

export const VerdictSchema = z.enum(['passed', 'drifted', 'failed', 'not-sent']);
export type Verdict = z.infer<typeof VerdictSchema>;

/** A value that was sent as recorded although the server now gives another. */
export const StaleValueSchema = z.object({
  step: z.string(),
  place: z.string(),
  /** The part of the value at that place, where it is not the whole. */
  part: z.object({ start: z.number().int(), end: z.number().int() }).optional(),
  name: z.string(),
  recorded: z.string(),
  /** What the server gives now. */
  current: z.string(),
  /** Step whose response gives it. */
  origin: z.string(),
  extractor: ExtractorSchema,
  /** The weight of the evidence that it comes from there (see `weigh`). */
  bits: z.number().default(0),
});
export type StaleValue = z.infer<typeof StaleValueSchema>;

export const RehearsedStepSchema = z.object({
  step: z.string(),
  number: z.number().int(),
  verdict: VerdictSchema,
  /** What differs from the take, in sentences; the first is the most telling. */
  reasons: z.array(z.string()),
  /** The code of the failure that a run would count for this answer (`core/src/failure`); absent where it would count none. */
  code: z.string().optional(),
  stale: z.array(StaleValueSchema),
  /** What the server says of trouble that no good answer says; absent where it says nothing. */
  said: z.array(z.string()).optional(),
  /** A wider shape of the redirect that would let this answer pass, where everything else about it is as in the take. */
  redirect: z.string().optional(),
  /** What accepting this answer would make the step expect; absent where there is nothing to accept. */
  accept: z.object({ expect: z.union([ExpectationSchema, MessageExpectationSchema]), sentence: z.string() }).optional(),
  captured: CapturedStepSchema.nullable(),
});
export type RehearsedStep = z.infer<typeof RehearsedStepSchema>;

/** Why a rehearsal left the take, and what to do about it. */
export const DivergenceSchema = z.object({
  step: z.string(),
  number: z.number().int(),
  sentence: z.string(),
  cause: z.enum(['stale-value', 'refused-value', 'unreachable', 'missing-value', 'unknown']),
  advice: z.string(),
  /** A typed value that the answer refuses. */
  refused: z.string().nullable(),
  /** The handoff that found nothing, where that is the cause. */
  handoff: z.string().optional(),
});
export type Divergence = z.infer<typeof DivergenceSchema>;

/** What a step that sends nothing said, or how it failed; `afterStep` is the last request before it. */
export const RehearsalNoteSchema = z.object({
  step: z.string(),
  kind: z.enum(['log', 'failed']),
  text: z.string(),
  afterStep: z.string().nullable(),
});
export type RehearsalNote = z.infer<typeof RehearsalNoteSchema>;

/** One virtual user plays the script once, everything captured, laid beside the take. */
export const RehearsalSchema = z.object({
  id: z.string(),
  scriptId: z.string(),
  number: z.number().int(),
  startedAt: z.string(),
  /** Absent in rehearsals of earlier versions. */
  environment: UsedEnvironmentSchema.optional(),
  verdict: VerdictSchema,
  steps: z.array(RehearsedStepSchema),
  divergence: DivergenceSchema.nullable(),
  /** Rows that were dealt and are spent now. */
  rows: z.array(z.object({ table: z.string(), row: z.number().int() })),
  notes: z.array(RehearsalNoteSchema).optional(),
  /** What was seen of what it did, where it passed: with the one before it, if that passed too. Absent where it did not pass. */
  proof: ProofSchema.optional(),
  /** The step before which the tester ended it; absent where it went through. The verdict is that of the steps before. */
  endedBefore: z.string().optional(),
  /** The step before which it waits for the tester; absent once it has ended. */
  waitingAt: z.string().optional(),
  /** Tells whether two rehearsals played the very same script: a digest of what it sends and reads. */
  played: z.string().optional(),
  /** What was tried in it instead of what the script sends there; absent where the script was played as it is. */
  trial: z.object({ step: z.string(), place: z.string(), candidate: z.string(), sentence: z.string() }).optional(),
});
export type Rehearsal = z.infer<typeof RehearsalSchema>;

/** What came of a rehearsal: seen to have done what the takes did, passed without that being seen, or not passed. */
export const rehearsalResults = ['proven', 'unproven', 'drifted', 'failed'] as const;
export type RehearsalResult = (typeof rehearsalResults)[number];

/** The result of a rehearsal as it stands by itself. */
export const resultOf = ({ verdict, proof }: Pick<Rehearsal, 'verdict' | 'proof'>): RehearsalResult =>
  verdict === 'passed' ? (proof?.state ?? 'unproven') : verdict === 'drifted' ? 'drifted' : 'failed';

/** How a rehearsal is to be played. */
export const RehearsalWishSchema = z.object({
  /** `step` waits before each request until it is told to go on. */
  mode: z.enum(['through', 'step']).default('through'),
  /** The last step to be played; the rest is left out. */
  until: z.string().nullable().default(null),
  /** Plays it a second time directly after the first, where the first passed: only that proves a pass. */
  twice: z.boolean().default(false),
  /** Rows to be dealt, by table; the next free one where a table is not named. */
  rows: z.array(z.object({ table: z.string(), row: z.number().int() })).default([]),
});
export type RehearsalWish = z.infer<typeof RehearsalWishSchema>;

/** What the tester may say to a rehearsal under way. */
export const RehearsalCommandSchema = z.object({ command: z.enum(['pause', 'step', 'go', 'end']) });
export type RehearsalCommand = z.infer<typeof RehearsalCommandSchema>['command'];
