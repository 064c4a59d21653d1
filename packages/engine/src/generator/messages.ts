import * as z from 'zod';
import {
  CrewSchema,
  DealSchema,
  EnvironmentSchema,
  FailureSignSchema,
  FrameSchema,
  LoadCurveSchema,
  SampleBatchSchema,
  ScriptSchema,
  UserLogEntrySchema,
} from '@sturdy/core';
import type { LinkIdentity } from '../link/index.js';

const LeasedRow = z.object({ row: z.number().int(), values: z.array(z.string()) });
export type LeasedRow = z.infer<typeof LeasedRow>;

/** What one generator plays: its share of the users of each crew. Plain data, so that it can cross any transport. */
export const PlanSchema = z.object({
  version: z.literal(1),
  runId: z.string(),
  generator: z.number().int(),
  /** How many generators play the run; arrivals are dealt out among them in turn. */
  generators: z.number().int().min(1).default(1),
  scripts: z.array(ScriptSchema),
  crews: z.array(
    z.object({
      crew: CrewSchema,
      /** Place of each user in its crew (from 0), and its number in the run (from 1). */
      users: z.array(z.object({ place: z.number().int(), user: z.number().int() })),
    }),
  ),
  curve: LoadCurveSchema,
  environment: EnvironmentSchema,
  /** By script and step the failure signs that the recorded answer holds, so that they say nothing there. */
  shownSigns: z.record(z.string(), z.record(z.string(), z.array(FailureSignSchema))).optional(),
  seed: z.string(),
  /** Whether each request is told of, too. */
  samples: z.boolean().default(false),
  tables: z.array(
    z.object({
      table: z.string(),
      columns: z.array(z.string()),
      deal: DealSchema,
      /** All rows, where a loop goes through them and they may be dealt again. */
      rows: z.array(LeasedRow).optional(),
    }),
  ),
  /** Hashes (SHA-256) of the bodies that scripts send as they are. */
  files: z.array(z.string()),
  /** Names of the secrets of the environment, which is shown without them. */
  secrets: z.array(z.string()),
});
export type Plan = z.infer<typeof PlanSchema>;

/** A piece of something long, from 0. Together the texts of all pieces are the whole. */
const piece = { at: z.number().int().min(0), count: z.number().int().min(1), text: z.string() };

/** From the conductor to a generator. */
export const ToGeneratorSchema = z.discriminatedUnion('kind', [
  /** The plan as JSON. */
  z.object({ kind: z.literal('plan'), ...piece }),
  /** A body that a script sends, base64. */
  z.object({ kind: z.literal('body'), hash: z.string(), ...piece }),
  /** A secret of the environment, sealed for this generator alone in the context that `secretContext` tells. */
  z.object({ kind: z.literal('secret'), name: z.string(), key: z.string(), text: z.string() }),
  /** Asks what the clock of the generator shows; times in ms since 1970. */
  z.object({ kind: z.literal('clock'), sentMs: z.number() }),
  /** The curve begins at a moment of the generator's own clock. */
  z.object({ kind: z.literal('start'), atMs: z.number() }),
  /** Rows that were leased. Where there are none, the table has none left, or none can be leased now and the generator asks again later. */
  z.object({ kind: z.literal('rows'), table: z.string(), rows: z.array(LeasedRow), more: z.enum(['perhaps', 'none-left', 'not-now']) }),
  /** Nobody begins an iteration until it goes on. */
  z.object({ kind: z.literal('pause') }),
  z.object({ kind: z.literal('resume') }),
  /** So many seconds of the curve are passed over. */
  z.object({ kind: z.literal('skip'), seconds: z.number().min(0) }),
  /** These go on from the point where they met. */
  z.object({ kind: z.literal('go'), who: z.array(z.string()) }),
  /**
   * Users that come to a crew now, with the iterations that they played elsewhere, and users that go home after their iteration. With arrivals
   * they play those of a share that was another generator's.
   */
  z.object({
    kind: z.literal('users'),
    crew: z.string(),
    come: z.array(z.object({ place: z.number().int(), user: z.number().int(), iteration: z.number().int().optional() })),
    go: z.array(z.number().int()),
    share: z.number().int().optional(),
  }),
  /** Users of whom each request is told, and whether it is captured in full. */
  z.object({ kind: z.literal('watch'), users: z.array(z.object({ user: z.number().int(), captures: z.boolean() })) }),
  z.object({ kind: z.literal('finish') }),
  z.object({ kind: z.literal('abort') }),
]);
export type ToGenerator = z.infer<typeof ToGeneratorSchema>;

/** From a generator to the conductor. */
export const FromGeneratorSchema = z.discriminatedUnion('kind', [
  /** What it lacks to play its plan: bodies by hash, and secrets by name, sealed for this public key. */
  z.object({ kind: z.literal('wants'), bodies: z.array(z.string()), secrets: z.array(z.string()), publicKey: z.string() }),
  z.object({ kind: z.literal('ready') }),
  z.object({ kind: z.literal('clock'), sentMs: z.number(), ownMs: z.number() }),
  /** Somebody came to a meeting point of so many users, or left it because its time was over. */
  z.object({ kind: z.literal('came'), step: z.string(), who: z.string(), users: z.number().int() }),
  z.object({ kind: z.literal('left'), step: z.string(), who: z.string() }),
  z.object({ kind: z.literal('lease'), table: z.string(), count: z.number().int() }),
  z.object({ kind: z.literal('frame'), frame: FrameSchema }),
  z.object({ kind: z.literal('samples'), batch: SampleBatchSchema }),
  z.object({ kind: z.literal('unused'), table: z.string(), rows: z.array(z.number().int()) }),
  z.object({ kind: z.literal('log'), entries: z.array(UserLogEntrySchema) }),
  /** Requests to an origin that waited for their turn under its ceiling since the last such message. */
  z.object({ kind: z.literal('held-back'), origin: z.string(), count: z.number().int().min(1) }),
  z.object({ kind: z.literal('end-run'), reason: z.string() }),
  z.object({ kind: z.literal('ended') }),
  z.object({ kind: z.literal('fault'), message: z.string() }),
]);
export type FromGenerator = z.infer<typeof FromGeneratorSchema>;

/** What a sealed secret belongs to: it opens nowhere else. */
export const secretContext = ({ run, generator }: LinkIdentity, name: string): string =>
  JSON.stringify(['sturdy-secret', run, generator, name]);
