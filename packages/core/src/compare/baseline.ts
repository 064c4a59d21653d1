import * as z from 'zod';
import type { Run } from '../analyse/run.schema.js';
import { holdPeriod, lastSecondOf, totalsOf } from '../analyse/verdict.js';
import type { Frame } from '../measure/frame.schema.js';
import { student975 } from '../statistics/interval.js';

/** The zero line: what a run with one user came to, for every later run to be set against. */
export const BaselineSchema = z.object({
  runId: z.string(),
  number: z.number().int(),
  startedAt: z.string(),
  release: z.string().nullable(),
  transactions: z.array(
    z.object({
      name: z.string(),
      count: z.number().int(),
      meanMs: z.number(),
      p95Ms: z.number(),
      /** Half the interval of 95 % around the mean, in per cent of it; null with fewer than four samples. */
      sureWithinPercent: z.number().nullable(),
    }),
  ),
  /** Busy time of an iteration, without its pauses. */
  iterationBusySeconds: z.number(),
  /** What is said of it: how sure it is, and how many more iterations it wants. */
  sentence: z.string(),
});
export type Baseline = z.infer<typeof BaselineSchema>;

/** A zero line is sure enough within this part of its mean (common practice, no source). */
const sureEnoughPercent = 10;

/** Why a run cannot be a zero line, in a sentence; null where it can. */
export function whyNoBaseline(run: Run): string | null {
  const users = run.workload.crews.reduce((sum, crew) => sum + crew.users, 0);
  if (run.workload.curve.kind === 'arrivals' || users !== 1)
    return `A baseline is played by one virtual user, and this run had ${run.workload.curve.kind === 'arrivals' ? 'arrivals' : users}. Play the workload with one user.`;
  return run.state === 'done' ? null : `The run did not end as planned (${run.state}), so it is no baseline. Play it again.`;
}

/** The figures of a baseline, over its hold. The interval of a mean is that of Student (1908): one user's samples come one after the other. */
export function baselineOf(run: Run, frames: readonly Frame[]): Baseline {
  const planned = holdPeriod(run.workload);
  const totals = totalsOf(frames, { ...planned, toSecond: Math.max(planned.toSecond, lastSecondOf(frames) + 1) });
  const iterations = Math.max(1, ...[...totals.transactions.values()].map(({ count }) => count));
  const transactions = [...totals.transactions].map(([name, tally]) => {
    const { count, meanMs, p95Ms, deviationMs } = tally.summary(1);
    const sureWithinPercent = count < 4 || meanMs === 0 ? null : (100 * student975(count - 1) * deviationMs) / Math.sqrt(count) / meanMs;
    return { name, count, meanMs, p95Ms, sureWithinPercent };
  });
  const [worst] = [...transactions].sort((left, right) => (right.sureWithinPercent ?? Infinity) - (left.sureWithinPercent ?? Infinity));
  // The interval narrows with the root of the count.
  const wanted = worst?.sureWithinPercent == null ? null : Math.ceil(worst.count * (worst.sureWithinPercent / sureEnoughPercent) ** 2);
  return {
    runId: run.id,
    number: run.number,
    startedAt: run.startedAt,
    release: run.release ?? null,
    transactions,
    iterationBusySeconds: totals.all.sum / 1000 / iterations,
    sentence: !worst
      ? 'Nothing was measured in the hold. Hold longer.'
      : worst.sureWithinPercent === null || wanted === null
        ? `“${worst.name}” was measured ${worst.count === 1 ? 'once' : `${worst.count} times`}: too few to be sure of. Play 30 iterations or more.`
        : worst.sureWithinPercent <= sureEnoughPercent
          ? `Every mean is sure to ${worst.sureWithinPercent.toFixed(1)} % or better (95 %), from ${iterations} iterations.`
          : `The mean of “${worst.name}” is sure to ${worst.sureWithinPercent.toFixed(0)} % only, from ${worst.count} iterations; for ${sureEnoughPercent} % play about ${wanted}.`,
  };
}

/** The newest zero line before a run that has transactions of it; of the run itself where it is one. */
export function baselineRunFor(run: Run, runs: readonly Run[]): Run | null {
  const scripts = new Set(run.workload.crews.map(({ scriptId }) => scriptId));
  const fitting = runs.filter(
    (other) =>
      other.baseline === true && other.startedAt <= run.startedAt && other.workload.crews.some(({ scriptId }) => scripts.has(scriptId)),
  );
  return fitting.sort((left, right) => right.startedAt.localeCompare(left.startedAt))[0] ?? null;
}
