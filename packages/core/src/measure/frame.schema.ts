import * as z from 'zod';
import { CapturedStepSchema } from '../actions/action-step.schema.js';
import { TallySchema } from './tally.schema.js';

/** Figures of one transaction (step null) or one step of a crew within one second. */
export const FrameItemSchema = z.object({
  crew: z.string(),
  transaction: z.string(),
  step: z.string().nullable(),
  tally: TallySchema,
});
export type FrameItem = z.infer<typeof FrameItemSchema>;

/** What one virtual user is doing. */
export const UserStateSchema = z.object({
  user: z.number().int(),
  crew: z.string(),
  state: z.enum(['waiting', 'working', 'thinking', 'ended']),
  iteration: z.number().int(),
  step: z.string().nullable(),
  row: z.number().int().nullable(),
  lastError: z.string().nullable(),
});
export type UserState = z.infer<typeof UserStateSchema>;

/** An exchange as it was captured, with the text of its bodies as far as it is kept. */
export const CapturedExchangeSchema = z.object({
  user: z.number().int(),
  captured: CapturedStepSchema,
  requestText: z.string(),
  responseText: z.string(),
});
export type CapturedExchange = z.infer<typeof CapturedExchangeSchema>;

/** What a watched user did: one request. Times in ms, since the start of the run. */
export const UserLogEntrySchema = z.object({
  user: z.number().int(),
  atMs: z.number(),
  iteration: z.number().int(),
  transaction: z.string(),
  step: z.string(),
  /** Status of the answer; null where there was none. */
  status: z.number().int().nullable(),
  durationMs: z.number(),
  failure: z.string().nullable(),
  /** Where the user is captured in full. */
  exchange: CapturedExchangeSchema.nullable(),
});
export type UserLogEntry = z.infer<typeof UserLogEntrySchema>;

/**
 * Failures of a step that are of one code and subject (`core/src/failure`), with the sentence of the first. `example` is captured for the first
 * of a kind. Runs of earlier versions have no code: their subject is the sentence with its moving parts masked.
 */
export const FailureSchema = z.preprocess(
  (stored) => {
    const failure = stored as { kind?: unknown; code?: unknown } | null;
    return typeof failure?.kind === 'string' && failure.code === undefined ? { ...failure, code: '', subject: failure.kind } : stored;
  },
  z.object({
    crew: z.string(),
    transaction: z.string(),
    step: z.string(),
    code: z.string(),
    subject: z.string(),
    message: z.string(),
    count: z.number().int(),
    firstSecond: z.number().int(),
    lastSecond: z.number().int(),
    example: CapturedExchangeSchema.nullable(),
  }),
);
export type Failure = z.infer<typeof FailureSchema>;

/** What a generator takes of its machine. */
export const OwnFiguresSchema = z.object({
  /** Share of the second in which its thread was busy, 0 to 1. */
  busy: z.number(),
  /** Memory of its objects in MB. */
  heapMb: z.number(),
  /** Connections that are open. */
  sockets: z.number().int(),
});
export type OwnFigures = z.infer<typeof OwnFiguresSchema>;

/** Rows of a data table with which iterations of a crew ended within a second, each time that one did. */
export const PlayedRowsSchema = z.object({
  crew: z.string(),
  table: z.string(),
  passed: z.array(z.number().int()),
  /** What the transactions of each of those iterations took together, in ms. */
  passedMs: z.array(z.number()),
  failed: z.array(z.number().int()),
});
export type PlayedRows = z.infer<typeof PlayedRowsSchema>;

/** What a generator sends each second. */
export const FrameSchema = z.object({
  version: z.literal(1),
  generator: z.number().int(),
  /** Whole seconds since the start of the run. */
  second: z.number().int(),
  activeUsers: z.number().int(),
  iterationsPassed: z.number().int(),
  iterationsFailed: z.number().int(),
  items: z.array(FrameItemSchema),
  failures: z.array(FailureSchema),
  /** Users who are not as they were in the frame before. */
  users: z.array(UserStateSchema),
  /** Iterations that were due by arrival and found no free user. */
  missedArrivals: z.number().int().default(0),
  /** Worst delay of the generator's event loop within the second, in ms. */
  loopDelayMs: z.number(),
  /** Starts against the pacing schedule: worst lateness within the second, in ms. */
  latenessMs: z.number(),
  /** How late each of them was. */
  lateness: TallySchema.optional(),
  /** What the generator took itself; absent in frames of earlier versions. */
  own: OwnFiguresSchema.optional(),
  /** Data rows that users of each crew were dealt within the second; absent where none were. */
  dealt: z.array(z.object({ crew: z.string(), table: z.string(), rows: z.number().int() })).optional(),
  /** Absent where no iteration ended that had a row. */
  playedRows: z.array(PlayedRowsSchema).optional(),
});
export type Frame = z.infer<typeof FrameSchema>;
