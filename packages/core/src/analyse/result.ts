import type { HostSeries } from '../hosts/watch.schema.js';
import { judgeHosts } from './host-verdict.js';
import type { Frame } from '../measure/frame.schema.js';
import { Tally } from '../measure/tally.js';
import { actionSteps, type Script } from '../script/script.schema.js';
import { groupFailures } from './failures.js';
import type { LanePoint, Run, RunResult, RunTable, RunTableBy } from './run.schema.js';
import { startsPlanned } from '../workload/curve.js';
import { holdPeriod, judgeCriteria, lastSecondOf, runSecondOf, totalsOf, type Period, type Totals } from './verdict.js';

/** The event loop of a generator may be late by this many ms before its figures are doubted (common practice, no source). */
const loopLimitMs = 100;

/** The hold of a run, as far as it came. */
function judgedPeriod(run: Run, frames: readonly Frame[]): Period {
  const planned = holdPeriod(run.workload);
  const fromSecond = Math.ceil(runSecondOf(planned.fromSecond, run.events ?? []));
  const toSecond = Math.floor(runSecondOf(planned.toSecond, run.events ?? []));
  return { fromSecond, toSecond: Math.min(toSecond, Math.max(fromSecond, lastSecondOf(frames) + 1)) };
}

/** Makes the figures, the verdict and the signs of trust of a run from its frames. */
export function runResult(run: Run, frames: readonly Frame[], scripts: readonly Script[], hosts: readonly HostSeries[] = []): RunResult {
  const period = judgedPeriod(run, frames);
  const totals = totalsOf(frames, period);
  return {
    run,
    period,
    criteria: judgeCriteria(run.workload.criteria, totals, period),
    hostCriteria: judgeHosts(run.workload.hostLimits ?? [], hosts, period),
    trust: trustSigns(run, frames, period),
    rows: rowsOf(totals, period.toSecond - period.fromSecond, scripts),
    dealt: dealtIn(run, frames),
    failures: groupFailures(frames.flatMap((frame) => frame.failures)),
    iterationsPassed: frames.reduce((sum, frame) => sum + frame.iterationsPassed, 0),
    iterationsFailed: frames.reduce((sum, frame) => sum + frame.iterationsFailed, 0),
    seconds: lastSecondOf(frames) + 1,
  };
}

/** The data rows that each crew was dealt in the whole run. */
function dealtIn({ workload }: Run, frames: readonly Frame[]): RunResult['dealt'] {
  const rows = new Map<string, RunResult['dealt'][number]>();
  for (const { crew, table, rows: count } of frames.flatMap((frame) => frame.dealt ?? [])) {
    const key = `${crew}\u0000${table}`;
    const known = rows.get(key);
    if (known) known.rows += count;
    else rows.set(key, { crew: workload.crews.find((workloadCrew) => workloadCrew.id === crew)?.name ?? crew, table, rows: count });
  }
  return [...rows.values()];
}

/** Transactions in the order of the scripts, each with its steps below it. */
function rowsOf(totals: Totals, seconds: number, scripts: readonly Script[]): RunResult['rows'] {
  const rows: RunResult['rows'] = [];
  const order = scripts.flatMap((script) => script.transactions.map((transaction) => transaction.name));
  for (const name of [...new Set([...order, ...totals.transactions.keys()])]) {
    const tally = totals.transactions.get(name);
    if (!tally) continue;
    rows.push({ transaction: name, step: null, name, summary: tally.summary(seconds) });
    for (const script of scripts)
      for (const { step, transaction } of actionSteps(script)) {
        const ownTally = transaction.name === name ? totals.steps.get(`${name}\u0000${step.id}`) : undefined;
        if (ownTally) rows.push({ transaction: name, step: step.id, name: step.name, summary: ownTally.summary(seconds) });
      }
  }
  return rows;
}

/** The figures of a run apart for each crew and each generator, over the hold, or for each phase of its curve. */
export function runTable(run: Run, frames: readonly Frame[], scripts: readonly Script[], by: RunTableBy): RunTable {
  const period = judgedPeriod(run, frames);
  const seconds = period.toSecond - period.fromSecond;
  const group = (name: string, ownFrames: readonly Frame[], within: Period): RunTable[number] => ({
    group: name,
    rows: rowsOf(totalsOf(ownFrames, within), within.toSecond - within.fromSecond, scripts),
  });
  if (by === 'phase') {
    const end = lastSecondOf(frames) + 1;
    const phases: [string, Period][] = [
      ['Ramp-up', { fromSecond: 0, toSecond: period.fromSecond }],
      [`Hold, ${seconds} s`, period],
      ['Ramp-down', { fromSecond: period.toSecond, toSecond: end }],
    ];
    return phases.filter(([, period]) => period.toSecond > period.fromSecond).map(([name, period]) => group(name, frames, period));
  }
  if (by === 'generator')
    return [...new Set(frames.map((frame) => frame.generator))]
      .sort((left, right) => left - right)
      .map((generator) =>
        group(
          `Generator ${generator + 1}`,
          frames.filter((frame) => frame.generator === generator),
          period,
        ),
      );
  return run.workload.crews.map((crew) =>
    group(
      crew.name,
      frames.map((frame) => ({ ...frame, items: frame.items.filter((item) => item.crew === crew.id) })),
      period,
    ),
  );
}

function trustSigns(run: Run, frames: readonly Frame[], period: Period): RunResult['trust'] {
  const planned = holdPeriod(run.workload);
  const held = frames.filter((frame) => frame.second >= period.fromSecond && frame.second < period.toSecond);
  const worstLoop = held.reduce((worst, frame) => Math.max(worst, frame.loopDelayMs), 0);
  const worstLate = held.reduce((worst, frame) => Math.max(worst, frame.latenessMs), 0);
  const late = new Tally();
  for (const { lateness } of held) if (lateness) late.merge(Tally.from(lateness));
  const reached = period.toSecond - period.fromSecond;
  const wanted = planned.toSecond - planned.fromSecond;
  return [
    {
      good: worstLoop <= loopLimitMs,
      sentence: `The generators' event loops were late by ${worstLoop.toFixed(0)} ms at worst (limit ${loopLimitMs} ms)${worstLoop <= loopLimitMs ? '.' : ': they were the bottleneck, not the system.'}`,
    },
    ...busySign(held),
    {
      good: worstLate <= 1000,
      sentence: `Iterations started ${worstLate.toFixed(0)} ms after their schedule at worst${late.count === 0 ? '' : `, and 99 of 100 within ${late.percentile(99).toFixed(1)} ms`}.`,
    },
    ...(run.workload.curve.kind === 'arrivals' ? [arrivalSign(frames)] : rateSign(run, held, reached)),
    ...changeSign(run),
    ...ceilingSigns(run),
    ...generatorSigns(run),
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

/** A thread that is busy for more of the time than this answers late by itself (common practice, no source). */
const busyLimit = 0.8;

/** How much of the hold the busiest generator was at work. */
function busySign(held: readonly Frame[]): RunResult['trust'] {
  const shares = new Map<number, { sum: number; count: number }>();
  for (const { generator, own } of held) {
    if (!own) continue;
    const { sum, count } = shares.get(generator) ?? { sum: 0, count: 0 };
    shares.set(generator, { sum: sum + own.busy, count: count + 1 });
  }
  if (shares.size === 0) return [];
  const busiest = Math.max(...[...shares.values()].map(({ sum, count }) => sum / count));
  const good = busiest <= busyLimit;
  return [
    {
      good,
      sentence: `The busiest generator was at work for ${(100 * busiest).toFixed(0)} % of the hold (limit ${100 * busyLimit} %)${good ? '.' : ': its own queue is part of the response times. Use more generators or fewer users.'}`,
    },
  ];
}

/** Who changed the load by hand played something else than the workload. */
function changeSign({ events = [] }: Run): RunResult['trust'] {
  const changes = events.filter((event) => event.kind === 'users' || event.kind === 'pause' || event.kind === 'phase');
  if (changes.length === 0) return [];
  return [
    {
      good: false,
      sentence: `The load was changed by hand ${changes.length === 1 ? 'once' : `${changes.length} times`}: it is not the one that was planned.`,
    },
  ];
}

/** Ceilings of cleared targets that held the load back. */
const ceilingSigns = ({ events = [] }: Run): RunResult['trust'] =>
  events.flatMap(({ kind, origin = 'a target', second }) =>
    kind === 'ceiling'
      ? [
          {
            good: false,
            sentence: `From second ${second} on requests to ${origin} waited for the ceiling for which it was cleared: the load was lower than planned.`,
          },
        ]
      : [],
  );

/** Clocks of generators may be apart by this many ms, so that their seconds are the same (common practice, no source). */
const apartLimitMs = 100;

/** Generators that were lost, and how well their clocks were known. */
function generatorSigns({ generators = [], workload, events = [] }: Run): RunResult['trust'] {
  const lost = generators.filter((generator) => generator.lost !== null);
  const apartMs = generators.reduce((most, generator) => Math.max(most, generator.uncertaintyMs), 0);
  return [
    ...lost.map(({ generator, lost: why }) => ({
      good: false,
      sentence: `Generator ${generator + 1} was lost: ${(why ?? '').replace(/\.?$/, '.')} ${workload.takesOver && lost.length < generators.length ? 'The others took over its users; what it had under way is missing.' : 'Its users are missing from then on.'}`,
    })),
    ...events.flatMap(({ kind, generator = 0, silentSeconds = 0 }) =>
      kind === 'heard'
        ? [
            {
              // A stop rule looks at a second once, when it is new.
              good: (workload.stopRules ?? []).length === 0,
              sentence: `Generator ${generator + 1} was silent for ${silentSeconds} s. Its figures came later and are complete${(workload.stopRules ?? []).length === 0 ? '' : ', but the stop rules did not see them'}.`,
            },
          ]
        : [],
    ),
    ...(generators.length > 1
      ? [
          {
            good: apartMs <= apartLimitMs,
            sentence: `The clocks of the generators were known to within ${apartMs.toFixed(1)} ms, so their seconds are the same.`,
          },
        ]
      : []),
  ];
}

/** Part of the planned rate that may be missing (common practice, no source). */
const missingShare = 0.05;

/** Where every crew starts iterations at a pacing, it is known how many begin within the hold. */
function rateSign({ workload }: Run, held: readonly Frame[], seconds: number): RunResult['trust'] {
  const { crews } = workload;
  const isPaced = crews.every((crew) => crew.pacing.kind === 'start-to-start' && crew.pacing.seconds > 0 && crew.iterations == null);
  if (!isPaced || crews.length === 0 || seconds <= 0) return [];
  const { fromSecond } = holdPeriod(workload);
  const planned = startsPlanned(workload, { startSeconds: fromSecond, endSeconds: fromSecond + seconds });
  if (planned === 0) return [];
  const begun = held.reduce((sum, frame) => sum + (frame.lateness?.count ?? 0), 0);
  const hourly = (count: number) => Math.round((count * 3600) / seconds).toLocaleString('en');
  // Of those that are due at the very edge of the hold some begin just outside it.
  const users = crews.reduce((sum, crew) => sum + crew.users, 0);
  const good = planned - begun <= Math.max(missingShare * planned, Math.sqrt(users));
  return [
    {
      good,
      sentence: `${hourly(begun)} iterations an hour were begun of ${hourly(planned)} planned (${((100 * begun) / planned).toFixed(0)} %)${good ? '.' : ': they took longer than their pacing allows, so the system was asked for less than planned.'}`,
    },
  ];
}

/** With arrivals the rate is what was promised: an iteration that found no free user was not played. */
function arrivalSign(frames: readonly Frame[]): RunResult['trust'][number] {
  const missed = frames.reduce((sum, frame) => sum + frame.missedArrivals, 0);
  const played = frames.reduce((sum, frame) => sum + frame.iterationsPassed + frame.iterationsFailed, 0);
  const percent = missed === 0 ? 0 : (100 * missed) / (missed + played);
  return {
    good: percent <= 100 * missingShare,
    sentence:
      missed === 0
        ? 'Every iteration started at the rate that was planned.'
        : `${missed.toLocaleString('en')} iterations (${percent.toFixed(1)} %) were left out, because all users were under way. Allow more users at a time.`,
  };
}

/** The lanes of a run: one point for each second. */
export function lanesOf(frames: readonly Frame[]): LanePoint[] {
  const bySecond = new Map<number, Frame[]>();
  for (const frame of frames) bySecond.set(frame.second, [...(bySecond.get(frame.second) ?? []), frame]);
  return [...bySecond.entries()]
    .sort(([left], [right]) => left - right)
    .map(([second, framesOfSecond]) => lanePoint(second, framesOfSecond));
}

/** One second of the lanes from the frames of all generators. */
export function lanePoint(second: number, frames: readonly Frame[]): LanePoint {
  const all = new Tally();
  for (const frame of frames) for (const item of frame.items) if (item.step === null) all.merge(Tally.from(item.tally));
  const some = all.count > 0;
  return {
    second,
    users: frames.reduce((sum, frame) => sum + frame.activeUsers, 0),
    perSecond: all.count,
    meanMs: some ? all.sum / all.count : null,
    p50Ms: some ? all.percentile(50) : null,
    p95Ms: some ? all.percentile(95) : null,
    maxMs: some ? all.max : null,
    failures: all.errors,
    loopDelayMs: frames.reduce((worst, frame) => Math.max(worst, frame.loopDelayMs), 0),
    generators: frames.flatMap(({ generator, own }) => (own ? [{ generator, ...own }] : [])),
    bands: all.bands(),
  };
}
