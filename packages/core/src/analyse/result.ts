import type { Frame } from '../measure/frame.schema.js';
import { Tally } from '../measure/tally.js';
import { requestSteps, type Script } from '../script/script.schema.js';
import { groupFailures } from './failures.js';
import type { LanePoint, Run, RunResult } from './run.schema.js';
import { holdPeriod, judgeCriteria, totalsOf, type Period } from './verdict.js';

/** The event loop of a generator may be late by this many ms before its figures are doubted (common practice, no source). */
const loopLimitMs = 100;

/** Makes the figures, the verdict and the signs of trust of a run from its frames. */
export function runResult(run: Run, frames: readonly Frame[], scripts: readonly Script[]): RunResult {
  const lastSecond = frames.reduce((last, one) => Math.max(last, one.second), 0);
  const planned = holdPeriod(run.workload.curve);
  const period: Period = {
    fromSecond: planned.fromSecond,
    toSecond: Math.min(planned.toSecond, Math.max(planned.fromSecond, lastSecond + 1)),
  };
  const totals = totalsOf(frames, period);
  const seconds = period.toSecond - period.fromSecond;
  const rows: RunResult['rows'] = [];
  const order = scripts.flatMap((script) => script.transactions.map((one) => one.name));
  for (const name of [...new Set([...order, ...totals.transactions.keys()])]) {
    const tally = totals.transactions.get(name);
    if (!tally) continue;
    rows.push({ transaction: name, step: null, name, summary: tally.summary(seconds) });
    for (const script of scripts)
      for (const { step, transaction } of requestSteps(script)) {
        const own = transaction.name === name ? totals.steps.get(`${name}\u0000${step.id}`) : undefined;
        if (own) rows.push({ transaction: name, step: step.id, name: step.name, summary: own.summary(seconds) });
      }
  }
  return {
    run,
    period,
    criteria: judgeCriteria(run.workload.criteria, totals, period),
    trust: trustSigns(run, frames, period, planned),
    rows,
    failures: groupFailures(frames.flatMap((one) => one.failures)),
    iterationsPassed: frames.reduce((sum, one) => sum + one.iterationsPassed, 0),
    iterationsFailed: frames.reduce((sum, one) => sum + one.iterationsFailed, 0),
    seconds: lastSecond + 1,
  };
}

function trustSigns(run: Run, frames: readonly Frame[], period: Period, planned: Period): RunResult['trust'] {
  const held = frames.filter((one) => one.second >= period.fromSecond && one.second < period.toSecond);
  const worstLoop = held.reduce((worst, one) => Math.max(worst, one.loopDelayMs), 0);
  const worstLate = held.reduce((worst, one) => Math.max(worst, one.latenessMs), 0);
  const reached = period.toSecond - period.fromSecond;
  const wanted = planned.toSecond - planned.fromSecond;
  return [
    {
      good: worstLoop <= loopLimitMs,
      sentence: `The generators' event loops were late by ${worstLoop.toFixed(0)} ms at worst (limit ${loopLimitMs} ms)${worstLoop <= loopLimitMs ? '.' : ': they were the bottleneck, not the system.'}`,
    },
    { good: worstLate <= 1000, sentence: `Iterations started ${worstLate.toFixed(0)} ms after their schedule at worst.` },
    { good: reached >= wanted, sentence: `The hold lasted ${reached} s of ${wanted} s planned.` },
    {
      good: run.state !== 'interrupted',
      sentence:
        run.state === 'interrupted'
          ? 'The server ended before the run did; figures after its last flush are missing.'
          : 'The run was recorded without a gap.',
    },
  ];
}

/** The lanes of a run: one point for each second. */
export function lanesOf(frames: readonly Frame[]): LanePoint[] {
  const bySecond = new Map<number, Frame[]>();
  for (const frame of frames) bySecond.set(frame.second, [...(bySecond.get(frame.second) ?? []), frame]);
  return [...bySecond.entries()].sort(([left], [right]) => left - right).map(([second, own]) => lanePoint(second, own));
}

/** One second of the lanes from the frames of all generators. */
export function lanePoint(second: number, frames: readonly Frame[]): LanePoint {
  const all = new Tally();
  for (const frame of frames) for (const item of frame.items) if (item.step === null) all.merge(Tally.from(item.tally));
  const some = all.count > 0;
  return {
    second,
    users: frames.reduce((sum, one) => sum + one.activeUsers, 0),
    perSecond: all.count,
    meanMs: some ? all.sum / all.count : null,
    p50Ms: some ? all.percentile(50) : null,
    p95Ms: some ? all.percentile(95) : null,
    maxMs: some ? all.max : null,
    failures: all.errors,
    loopDelayMs: frames.reduce((worst, one) => Math.max(worst, one.loopDelayMs), 0),
  };
}
