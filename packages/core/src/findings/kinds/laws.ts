import { meanValueAnalysis } from '../../analyse/queueing.js';
import { fitScalability, scalableThroughput } from '../../statistics/scalability.js';
import { mean } from '../../statistics/interval.js';
import { iterationSeconds } from '../../workload/forecast.js';
import type { Finding } from '../finding.schema.js';
import { figureText, within, type PreparedGround } from '../ground.js';
import { levelPerSecond, loadLevels } from '../load-levels.js';

const plain = { fromSecond: null, toSecond: null, series: [] as string[], chart: null };

/** Less contention than this is next to none (common practice, no source). */
const leastContention = 0.005;
/** Variation that the law must explain to be told (common practice, no source). */
const leastExplained = 0.9;

/** What the Universal Scalability Law says of throughput over users. */
export function scalability(ground: PreparedGround): Finding[] {
  if (ground.run.workload.curve.kind === 'arrivals') return [];
  const levels = loadLevels(ground);
  const points = levels.map((level) => ({ users: level.load, perSecond: levelPerSecond(level) }));
  const fit = fitScalability(points);
  if (!fit || fit.explained < leastExplained) return [];
  const worst = Math.max(...fit.residuals.map((residual, at) => Math.abs(residual) / (points[at]?.perSecond ?? 1)));
  const percent = (share: number) => `${figureText(100 * share)} %`;
  const most = Math.max(...points.map(({ users }) => users));
  const peak =
    fit.peakUsers < most
      ? `It falls again beyond ${figureText(fit.peakUsers)} users.`
      : Number.isFinite(fit.peakUsers) && fit.peakUsers < 10 * most
        ? `The law expects the most at ${figureText(fit.peakUsers)} users (${figureText(fit.peakPerSecond)} a second), which was not played.`
        : 'Nothing suggests that it falls again.';
  return [
    {
      ...plain,
      id: 'scalability',
      kind: 'scalability',
      severity: fit.peakUsers < most ? 'notable' : fit.contention < leastContention ? 'fact' : 'hint',
      sentence: `Throughput over users follows the Universal Scalability Law with ${percent(fit.contention)} contention and ${percent(fit.coherency)} coherency. ${peak}`,
      explanation: `Contention is the share of work that waits for one another, coherency what it costs to agree (Gunther 1993). The law explains ${percent(fit.explained)} of the variation; it is off by ${percent(worst)} at worst. With pauses between requests its users are not its processors, so read the shape rather than the figures.`,
      chart: {
        x: 'users',
        y: 'iterations a second',
        points: points.map(({ users, perSecond }) => [users, perSecond]),
        lines: [
          {
            name: 'Universal Scalability Law',
            points: Array.from({ length: 61 }, (_, step) => {
              const users = Math.max(1e-9, (most * step) / 60);
              return [users, scalableThroughput(fit, users)];
            }),
          },
        ],
        mark: null,
      },
    },
  ];
}

/** Figures may be off from the law by this share (common practice, no source). */
const littleTolerance = 0.1;

/** Checks the users of the hold against Little's law: N = X · W, with the time of an iteration made of busy time, pauses and pacing. */
export function littlesLaw(ground: PreparedGround): Finding[] {
  const { run, frames, scripts, hold } = ground;
  const { workload } = run;
  const seconds = hold.toSecond - hold.fromSecond;
  if (workload.curve.kind === 'arrivals' || seconds < 10) return [];
  const held = frames.filter(({ second }) => second >= hold.fromSecond && second < hold.toSecond);
  let predicted = 0;
  for (const crew of workload.crews) {
    const script = scripts.find(({ id }) => id === crew.scriptId);
    if (!script || crew.pacing.kind === 'end-to-start') return [];
    const counts = new Map<string, number>();
    let busyMs = 0;
    for (const item of held.flatMap((frame) => frame.items)) {
      if (item.crew !== crew.id || item.step !== null) continue;
      counts.set(item.transaction, (counts.get(item.transaction) ?? 0) + item.tally.count);
      busyMs += item.tally.sum;
    }
    const iterations = Math.max(0, ...counts.values());
    if (iterations === 0) return [];
    const takes = busyMs / 1000 / iterations + iterationSeconds(script, crew, () => 0);
    const cycle = crew.pacing.kind === 'start-to-start' ? Math.max(takes, crew.pacing.seconds) : takes;
    predicted += (iterations / seconds) * cycle;
  }
  const there = mean(within(ground.seconds, hold).map(({ users }) => users));
  const off = predicted / there - 1;
  if (!Number.isFinite(off)) return [];
  const agrees = Math.abs(off) <= littleTolerance;
  return [
    {
      ...plain,
      id: 'littles-law',
      kind: 'littles-law',
      severity: agrees ? 'fact' : 'notable',
      sentence: `Little’s law ${agrees ? 'agrees' : 'does not agree'}: throughput times the time of an iteration gives ${figureText(predicted)} users where ${figureText(there)} were there (${off < 0 ? '−' : '+'}${figureText(Math.abs(100 * off))} %).`,
      explanation: agrees
        ? 'N = X · W (Little 1961) holds for every system in a steady state; so nothing of the hold was lost or counted twice.'
        : 'N = X · W (Little 1961) holds for every system in a steady state. Here the hold was too short for its iterations, the pauses vary much, or the load was not steady.',
    },
  ];
}

/** What a closed queueing model predicts from the baseline and the use of a processor, beside what was measured. */
export function queueingModel(ground: PreparedGround): Finding[] {
  const { baseline, hold, run, scripts } = ground;
  const [crew, ...more] = run.workload.crews;
  const script = scripts.find(({ id }) => id === crew?.scriptId);
  if (!baseline || !crew || !script || more.length > 0 || run.workload.curve.kind === 'arrivals' || crew.pacing.kind !== 'none') return [];
  const held = within(ground.seconds, hold);
  const iterations = held.reduce((sum, second) => sum + second.iterations, 0);
  const perSecond = iterations / held.length;
  const users = mean(held.map((second) => second.users));
  const measured = held.reduce((sum, second) => sum + second.sumMs, 0) / 1000 / iterations;
  const processor = ground.hosts
    .filter(({ name, unit }) => /processor/i.test(name) && unit === '%')
    .map((series) => ({
      series,
      use:
        mean(
          series.points.flatMap(([second, value]) =>
            value !== null && second >= hold.fromSecond && second < hold.toSecond ? [value] : [],
          ),
        ) / 100,
    }))
    .filter(({ use }) => use > 0.05 && use <= 1.01)
    .sort((left, right) => right.use - left.use)[0];
  if (!processor || !(perSecond > 0) || !(users >= 1)) return [];
  const alone = baseline.iterationBusySeconds;
  const demand = processor.use / perSecond;
  const pauses = iterationSeconds(script, crew, () => 0);
  const { responseSeconds } = meanValueAnalysis(Math.round(users), demand, pauses + Math.max(0, alone - demand));
  const predicted = responseSeconds + Math.max(0, alone - demand);
  const ratio = measured / predicted;
  return [
    {
      ...plain,
      id: 'queueing',
      kind: 'queueing',
      severity: ratio > 1.5 ? 'notable' : 'fact',
      sentence: `A queueing model of the baseline and of “${processor.series.host}: ${processor.series.name}” (${figureText(100 * processor.use)} % used) predicts ${figureText(1000 * predicted)} ms for an iteration; ${figureText(1000 * measured)} ms were measured. That processor would be full at ${figureText(perSecond / processor.use)} iterations a second.`,
      explanation: `${ratio > 1.5 ? 'Much more than predicted: something else than that processor makes users wait, such as a lock, a pool or a disk. ' : ''}Closed model with one station, exact mean value analysis (Reiser and Lavenberg 1980); its demand is use by throughput (utilisation law), its other time that of one user alone.`,
      series: [processor.series.id],
    },
  ];
}
