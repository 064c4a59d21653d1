import * as z from 'zod';

/** What becomes of a take on its way to a script; made by the survey's proposal and the tester's choices. */
export const TidySchema = z.object({
  /** Origins whose requests are left out. */
  leftOut: z.array(z.string()),
  /** Style sheets, scripts, images and fonts: kept where they were asked for, or dropped. */
  staticFiles: z.enum(['drop', 'keep']),
  /** Requests that only tell a measuring service something. */
  telemetry: z.enum(['drop', 'keep']),
  /** By the key of a poll: left as it was recorded, made one repeat, or dropped. Polls that are not named are kept. */
  polls: z.record(z.string(), z.enum(['keep', 'repeat', 'drop'])),
  /** Follow redirects within one step. */
  foldRedirects: z.boolean(),
  /** Play requests that overlapped in time side by side. */
  sideBySide: z.boolean(),
  /** Pauses above this many ms are capped to it. */
  longestPauseMs: z.number().min(0).max(3_600_000),
  /** Numbers of exchanges that are left out one by one. */
  dropped: z.array(z.number().int()),
  /** Numbers of files that are kept although files are dropped: they give something that is sent later. */
  kept: z.array(z.number().int()).default([]),
});
export type Tidy = z.infer<typeof TidySchema>;

/** Nothing is left out and nothing is put together: each exchange becomes a step of its own. */
export const everything: Tidy = {
  leftOut: [],
  staticFiles: 'keep',
  telemetry: 'keep',
  polls: {},
  foldRedirects: false,
  sideBySide: false,
  longestPauseMs: 0,
  dropped: [],
  kept: [],
};

/** What becomes of a take where nothing is known of it: what carries no state goes, the rest is put together as it ran. */
export const usualTidy: Tidy = {
  leftOut: [],
  staticFiles: 'drop',
  telemetry: 'drop',
  polls: {},
  foldRedirects: true,
  sideBySide: true,
  longestPauseMs: 10_000,
  dropped: [],
  kept: [],
};

/** Where a transaction begins: the number of its first exchange, and what it is called. */
export const TransactionStartSchema = z.object({
  n: z.number().int(),
  name: z.string().trim().min(1, 'Give each transaction a name.').max(120),
});
export type TransactionStart = z.infer<typeof TransactionStartSchema>;

/** How an origin stands to the application that is tested. */
export const HostRoleSchema = z.enum(['application', 'content', 'telemetry', 'other']);

export const SurveySchema = z.object({
  hosts: z.array(
    z.object({
      origin: z.string(),
      requests: z.number().int(),
      /** Bytes of the response bodies, decoded. */
      bytes: z.number(),
      failed: z.number().int(),
      role: HostRoleSchema,
      /** Why it was given this role. */
      reason: z.string(),
    }),
  ),
  staticFiles: z.object({ requests: z.number().int(), bytes: z.number() }),
  telemetry: z.object({ requests: z.number().int(), names: z.array(z.string()) }),
  polls: z.array(
    z.object({
      key: z.string(),
      /** Method and path. */
      name: z.string(),
      exchanges: z.array(z.number().int()),
      /** Median time from one start to the next, ms. */
      everyMs: z.number(),
      /** True where every answer was the same. */
      sameAnswer: z.boolean(),
    }),
  ),
  /** Numbers of exchanges that stand twice, because a service worker sent them on. */
  doubled: z.array(z.number().int()).default([]),
  redirects: z.object({ chains: z.number().int(), requests: z.number().int() }),
  sideBySide: z.object({ groups: z.number().int(), requests: z.number().int() }),
  pauses: z.object({ count: z.number().int(), longestMs: z.number() }),
  findings: z.array(
    z.object({
      kind: z.enum([
        'cached',
        'failed',
        'missing-body',
        'cut-body',
        'inside-a-session',
        'connection-sign-in',
        'sign-in-in-an-address',
        'clock-jump',
        'recorded-twice',
        'refused-host',
        'certificate',
        'not-playable',
        'unasked',
        'doubled',
        'empty',
      ]),
      sentence: z.string(),
      exchanges: z.array(z.number().int()),
      /** What can be done at once: a change of the choices, or a place to go to. */
      action: z
        .object({
          label: z.string(),
          drop: z.array(z.number().int()).optional(),
          go: z.enum(['record', 'environment']).optional(),
        })
        .nullable(),
    }),
  ),
  /** Transactions that are proposed for a take without marks. */
  transactions: z.array(TransactionStartSchema).default([]),
  /** What is proposed where the tester chooses nothing. */
  proposal: TidySchema,
  /** Requests that would be played with the proposal. */
  played: z.number().int(),
});
/** What a take holds, as far as it matters for a script, and what is suspicious about it. */
export type Survey = z.infer<typeof SurveySchema>;
export type Suspicion = Survey['findings'][number];
