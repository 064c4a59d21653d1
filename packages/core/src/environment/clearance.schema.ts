import * as z from 'zod';

/** Longest time for which a target can be cleared at once, in days. Whoever tests longer clears it anew and looks at its addresses again. */
export const longestClearanceDays = 366;

/**
 * Somebody's word that a target that is not this machine may be tested: who gave it, what for, until when, and how much it bears. What a file
 * says of it and what the product keeps is the same.
 */
export const ClearanceSchema = z.object({
  /** The target, as it stands among the targets of its environment. */
  origin: z.string(),
  by: z.string().trim().min(1, 'Say who cleared the target.').max(200),
  for: z.string().trim().min(1, 'Say what the target was cleared for.').max(1000),
  /** ISO 8601, with an offset or in UTC. A day means until its end in UTC. */
  until: z.union([z.iso.datetime({ offset: true }), z.iso.date()], { error: 'Write a day, such as 2026-12-31, or a time in ISO 8601.' }),
  /** Requests a second to this target by one run or rehearsal, at the most; null for no ceiling. */
  requestsPerSecond: z.number().positive().nullable().default(null),
  /** Virtual users at this target in one run, at the most; null for no ceiling. */
  users: z.number().int().min(1).nullable().default(null),
  /** The name of the host once more, as somebody typed it; needed where one of its addresses is on the public internet. */
  host: z.string().default(''),
  /** IP addresses that the name had when it was cleared; connections to others are refused. Empty where it is looked up when a run begins. */
  addresses: z.array(z.string()).default([]),
});
export type Clearance = z.infer<typeof ClearanceSchema>;

/** What somebody says when a target is cleared; its addresses are looked up at that moment. */
export const ClearingSchema = ClearanceSchema.omit({ addresses: true });
export type Clearing = z.infer<typeof ClearingSchema>;

/** Where a target leads at the moment. */
export const LookedUpTargetSchema = z.object({
  origin: z.string(),
  addresses: z.array(z.object({ address: z.string(), reach: z.enum(['loopback', 'private', 'public', 'forbidden']) })),
  /** True where the name of its host has to be typed to clear it. */
  isPublic: z.boolean(),
  /** Why nobody can clear it, in a sentence: where it leads, that it leads nowhere, or the policy of this machine; null where somebody can. */
  problem: z.string().nullable(),
  /** The highest ceilings that the policy of this machine allows; null where it says none. */
  most: z.object({ requestsPerSecond: z.number().nullable(), users: z.number().nullable() }),
});
export type LookedUpTarget = z.infer<typeof LookedUpTargetSchema>;
