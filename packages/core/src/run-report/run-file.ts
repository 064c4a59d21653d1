import * as z from 'zod';
import { LanePointSchema, RunResultSchema, type LanePoint, type RunResult } from '../analyse/run.schema.js';
import { FindingSchema, type Finding } from '../findings/finding.schema.js';

/** What a run comes to, for build servers: held, not held, or held by figures that are not to be believed. */
export type RunOutcome = 'held' | 'not held' | 'not to be trusted';

/** The result of a run as a file: the figures with verdict and trust, and one point a second. */
export const RunFileSchema = z.object({
  version: z.literal(1),
  outcome: z.enum(['held', 'not held', 'not to be trusted']),
  result: RunResultSchema,
  lanes: z.array(LanePointSchema),
  /** What the analysis noticed; absent in files of earlier versions. */
  findings: z.array(FindingSchema).default([]),
});
export type RunFile = z.infer<typeof RunFileSchema>;

/** A run without criteria holds what was asked of it: nothing. */
export function outcomeOf({ run, criteria, hostCriteria, trust }: RunResult): RunOutcome {
  if (run.stoppedByRule || criteria.some((verdict) => !verdict.held) || hostCriteria.some((verdict) => !verdict.held)) return 'not held';
  return trust.every((sign) => sign.good) ? 'held' : 'not to be trusted';
}

export const runFile = (result: RunResult, lanes: LanePoint[], findings: Finding[]): RunFile => ({
  version: 1,
  outcome: outcomeOf(result),
  result,
  lanes,
  findings,
});
