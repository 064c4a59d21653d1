import * as z from 'zod';

/** A rule about a figure of a host: what it may not be above for so long. */
export const HostRuleSchema = z.object({
  id: z.string(),
  /** Figures to which it applies: an expression over “host: name”, without regard to case. */
  figure: z.string().min(1).max(200).refine(isExpression, 'Write a regular expression, such as run queue|waiting tasks.'),
  unit: z.string().max(20).nullable().describe('null for any unit'),
  limit: z.number(),
  forSeconds: z.number().int().min(1).max(3600),
  severity: z.enum(['grave', 'notable', 'hint']),
  /** What it is, in a few words, and what it does to response times. */
  name: z.string().trim().min(1).max(80),
  explanation: z.string().max(600),
});
export type HostRule = z.infer<typeof HostRuleSchema>;

function isExpression(text: string): boolean {
  try {
    new RegExp(text);
    return true;
  } catch {
    return false;
  }
}

/** Rules that ship with the product. The limits are common practice, no source. */
export const shippedHostRules: readonly HostRule[] = [
  {
    id: 'processor',
    figure: 'processor',
    unit: '%',
    limit: 90,
    forSeconds: 10,
    severity: 'grave',
    name: 'The processor is at its limit',
    explanation: 'Work waits for a processor, so response times grow with every user more. Add processors, or find what takes their time.',
  },
  {
    id: 'run-queue',
    figure: 'run queue',
    unit: null,
    limit: 10,
    forSeconds: 10,
    severity: 'grave',
    name: 'Work queues for the processor',
    explanation: 'More than ten tasks for each processor wait for their turn. What is measured is mostly waiting.',
  },
  {
    id: 'page-faults',
    figure: 'page faults',
    unit: null,
    limit: 100,
    forSeconds: 5,
    severity: 'grave',
    name: 'Memory is fetched from disk',
    explanation:
      'Hard page faults: what was moved out of memory is read back from disk, which is thousands of times slower. Memory is too small for the load.',
  },
  {
    id: 'memory',
    figure: 'memory',
    unit: '%',
    limit: 95,
    forSeconds: 30,
    severity: 'notable',
    name: 'Memory is near its end',
    explanation: 'What does not fit any more is moved to disk or refused. Watch whether it still grows.',
  },
  {
    id: 'disk-wait',
    figure: 'disk (busy|wait)|waits? for disk',
    unit: '%',
    limit: 80,
    forSeconds: 10,
    severity: 'notable',
    name: 'The disk is busy',
    explanation: 'Reads and writes wait for one another. Look at what is written, and whether an index is missing.',
  },
  {
    id: 'disk-wait-time',
    figure: 'disk wait',
    unit: 'seconds/s',
    limit: 0.5,
    forSeconds: 10,
    severity: 'notable',
    name: 'Work waits for the disk',
    explanation: 'Requests wait for reads and writes. Look at what is written, and whether an index is missing.',
  },
  {
    id: 'sessions',
    figure: 'sessions? in use|sessions, share',
    unit: '%',
    limit: 98,
    forSeconds: 5,
    severity: 'grave',
    name: 'Sessions are at their limit',
    explanation: 'Whoever comes now is refused or waits until somebody leaves.',
  },
  {
    id: 'lock-wait',
    figure: 'lock wait',
    unit: null,
    limit: 0.5,
    forSeconds: 5,
    severity: 'notable',
    name: 'Work waits for locks',
    explanation: 'Transactions wait for one another in the database. More processors do not help; shorter transactions do.',
  },
];

/** What the analysis of runs goes by; a project may change all of it. */
export const FindingRulesSchema = z.object({
  hostRules: z
    .array(HostRuleSchema)
    .max(100)
    .default([...shippedHostRules]),
  /** A rank correlation below this is not told. */
  leastCorrelation: z.number().min(0).max(1).default(0.6),
  /** A drift, a step or a difference of groups below this share of the level is not told. */
  leastShare: z.number().min(0).max(1).default(0.1),
  /** Chances above this are taken for chance. */
  mostChance: z.number().min(0).max(0.5).default(0.01),
});
export type FindingRules = z.infer<typeof FindingRulesSchema>;
export const plainRules: FindingRules = FindingRulesSchema.parse({});
