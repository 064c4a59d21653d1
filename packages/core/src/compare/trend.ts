import { deviation, mean, student975, type Interval, type Random } from '../statistics/interval.js';
import { blocksOf, figureInterval, percentileOfBlocks } from './blocks.js';
import { comparedRun, type MeasuredRun } from './compare.js';
import type { Trend } from './compare.schema.js';

/** Earlier runs from which on their spread is known; before that only the intervals of two runs are set against each other. */
const fewestEarlier = 3;

/** Each transaction over all runs of a workload, the oldest first: its p95 with an interval, and the first run that is worse than chance. */
export function trendOf(measured: readonly MeasuredRun[], random: Random): Trend {
  const blocks = measured.map(({ result, frames }) => blocksOf(frames, result.period));
  const names = [...new Set(blocks.flatMap((own) => [...own.keys()]))];
  const runs = measured.map((run) => comparedRun(run));
  return {
    runs,
    transactions: names.map((name) => {
      const points = blocks.map((own) => figureInterval(own.get(name) ?? [], percentileOfBlocks(95), random));
      const firstWorse = firstWorseOf(points);
      const worse = firstWorse === null ? null : points[firstWorse];
      const run = firstWorse === null ? undefined : runs[firstWorse];
      return {
        name,
        points,
        firstWorse,
        sentence:
          worse && run
            ? `${name}: run ${run.number}${run.release === null ? '' : ` (${run.release})`} is the first that is worse than chance, with a p95 of ${Math.round(worse.value).toLocaleString('en')} ms.`
            : `${name}: no run is worse than those before it by more than chance.`,
      };
    }),
  };
}

/** The first point above what the earlier ones let expect (prediction interval of one value more; Student 1908), or, of few, above the interval of the one before. */
function firstWorseOf(points: readonly (Interval | null)[]): number | null {
  const earlier: Interval[] = [];
  for (const [at, point] of points.entries()) {
    if (!point) continue;
    const values = earlier.map(({ value }) => value);
    const bound =
      values.length >= fewestEarlier
        ? Math.max(
            mean(values) + student975(Math.max(3, values.length - 1)) * deviation(values) * Math.sqrt(1 + 1 / values.length),
            mean(earlier.map(({ high }) => high)),
          )
        : earlier.at(-1)?.high;
    if (bound !== undefined && point.low > bound) return at;
    earlier.push(point);
  }
  return null;
}
