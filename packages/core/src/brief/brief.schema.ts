import * as z from 'zod';
import { HostLimitSchema } from '../workload/workload.schema.js';

const id = z.string().min(1).max(64);
const line = z.string().max(300);
const text = z.string().max(20_000);

/** A host of the system under test. */
export const BriefHostSchema = z.object({
  id,
  name: line,
  /** What it does, such as “database”. */
  role: line.default(''),
  technology: line.default(''),
  /** Such as “4 processors, 16 GB”. */
  size: line.default(''),
});
export type BriefHost = z.infer<typeof BriefHostSchema>;

/** A way over which one host asks another. */
export const BriefLinkSchema = z.object({ from: id, to: id, label: line.default('') });

const percentiles = ['p50', 'p90', 'p95', 'p99'] as const;
/** A percentile and what it may come to, in ms. */
export const PercentileLimitSchema = z.object({ measure: z.enum(percentiles), limitMs: z.number().min(1).max(3_600_000) });

/** A transaction that business counts on: how often it comes, and how quick it has to be. */
export const KeyTransactionSchema = z.object({
  id,
  /** Its name, as scripts have it. */
  transaction: line,
  /** The script that is to play it; null where the sizing sheet chooses. */
  scriptId: z.string().nullable().default(null),
  ratePerHour: z.number().min(0).max(100_000_000),
  /** When most of it comes, such as “09:00 to 10:00”, and how much more than on average. */
  peakHour: line.default(''),
  peakFactor: z.number().min(0.01).max(1000).default(1),
  /** Until the end of the time for which is tested. */
  growthPercent: z.number().min(-100).max(10_000).default(0),
  meanMs: z.number().min(1).max(3_600_000).nullable().default(null),
  percentile: PercentileLimitSchema.nullable().default(null),
});
export type KeyTransaction = z.infer<typeof KeyTransactionSchema>;

/** Something that is supposed, feared or not known, and who sees to it. */
export const BriefPointSchema = z.object({ id, text: line, owner: line.default(''), answer: line.default('') });
export type BriefPoint = z.infer<typeof BriefPointSchema>;

/** All of a brief that is signed. */
export const BriefContentSchema = z.object({
  title: line.default(''),
  aims: text.default(''),
  hosts: z.array(BriefHostSchema).max(100).default([]),
  links: z.array(BriefLinkSchema).max(300).default([]),
  /** Capacity of the test environment in per cent of production's. */
  capacityPercent: z.number().min(0.1).max(1000).default(100),
  capacityReason: line.default(''),
  transactions: z.array(KeyTransactionSchema).max(200).default([]),
  /** For every other transaction. */
  defaultLimit: PercentileLimitSchema.nullable().default(null),
  /** Of all transactions together. */
  errorPercent: z.number().min(0).max(100).nullable().default(null),
  hostLimits: z.array(HostLimitSchema).max(100).default([]),
  /** How long people pause where, in seconds, and why that is believed. */
  thinkTimes: z
    .array(z.object({ id, where: line, seconds: z.number().min(0).max(86_400), reason: line.default('') }))
    .max(100)
    .default([]),
  data: z
    .array(z.object({ id, what: line, rows: z.number().int().min(0).max(1_000_000_000), owner: line.default('') }))
    .max(100)
    .default([]),
  assumptions: z.array(BriefPointSchema).max(200).default([]),
  risks: z.array(BriefPointSchema).max(200).default([]),
  questions: z.array(BriefPointSchema).max(200).default([]),
  schedule: z
    .array(z.object({ id, day: line, what: line, owner: line.default('') }))
    .max(200)
    .default([]),
  /** By script: seconds from start to start of an iteration, as the sizing sheet was left. */
  pacing: z.record(z.string(), z.number().min(0.1).max(86_400)).default({}),
});
export type BriefContent = z.infer<typeof BriefContentSchema>;

/** Who signed which state of the brief. */
export const SignatureSchema = z.object({
  by: line.min(1, 'Say who signs.'),
  role: line.default(''),
  at: z.string(),
  /** Of what was signed; another one means that it was changed since. */
  fingerprint: z.string(),
  /** What was signed; absent in signatures of earlier versions. */
  signed: BriefContentSchema.optional(),
});
export type Signature = z.infer<typeof SignatureSchema>;

/** What the test is for and what “good” is: agreed before it, judged by after it. */
export const BriefSchema = BriefContentSchema.extend({ signatures: z.array(SignatureSchema).max(100).default([]) });
export type Brief = z.infer<typeof BriefSchema>;

/** `brief.yaml`: a member that nobody knows is told. */
export const BriefFileSchema = z.strictObject(BriefSchema.shape);
export const emptyBrief: Brief = BriefSchema.parse({});
