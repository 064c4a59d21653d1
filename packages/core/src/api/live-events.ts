import * as z from 'zod';
import { LanePointSchema, RunSchema } from '../analyse/run.schema.js';
import { HostPointSchema } from '../hosts/watch.schema.js';
import { FailureSchema, UserLogEntrySchema, UserStateSchema } from '../measure/frame.schema.js';
import { PlayingProgressSchema } from '../gestures/second-take.schema.js';
import { ExchangeSchema, TakeSchema } from '../take/take.schema.js';

/**
 * What a run came to in a second of which all its generators have told, or all but those that are silent. Where they tell of it later it comes again:
 * with the whole point, and with what they add.
 */
export const LiveSecondSchema = z.object({
  point: LanePointSchema,
  /** Users who are not as they were; now and then all of them. */
  users: z.array(UserStateSchema),
  /** Failures without their examples. */
  failures: z.array(FailureSchema),
  iterationsPassed: z.number(),
  iterationsFailed: z.number(),
});
export type LiveSecond = z.infer<typeof LiveSecondSchema>;

/** How far the making of a report is: the part that is being made, and how many of how many are done. */
export const ReportProgressSchema = z.object({ part: z.string(), done: z.number(), total: z.number() });
export type ReportProgress = z.infer<typeof ReportProgressSchema>;

/** Everything that the server tells without being asked (server-sent events), by its kind: the server sends by these, the web client reads by them. */
export const liveEvents = {
  // While a take is recorded.
  exchange: ExchangeSchema,
  take: TakeSchema,
  discarded: z.object({ exchanges: z.array(z.number()) }),
  suggestions: z.object({ names: z.array(z.string()) }),
  // While something is computed or read.
  correlating: z.object({ done: z.number(), total: z.number() }),
  importing: z.object({ rows: z.number() }),
  reporting: ReportProgressSchema,
  playing: PlayingProgressSchema,
  // While a script is rehearsed.
  step: z.object({ step: z.string() }),
  rehearsal: z.object({ id: z.string() }),
  // While a run is played.
  run: RunSchema,
  second: LiveSecondSchema,
  host: HostPointSchema,
  log: z.array(UserLogEntrySchema),
} as const;
export type LiveEventKind = keyof typeof liveEvents;
/** What is told with an event of a kind. */
export type LiveEventData<Kind extends LiveEventKind> = z.infer<(typeof liveEvents)[Kind]>;
/** An event of one of some kinds. */
export type LiveEvent<Kind extends LiveEventKind = LiveEventKind> = { [Each in Kind]: { kind: Each; data: LiveEventData<Each> } }[Kind];
