import { median, normal975, type Interval } from './interval.js';

/** Slopes of pairs are drawn evenly where there are more points than this. */
const mostPoints = 600;

/**
 * Slope of a series by the median of the slopes of all pairs (Theil 1950, Sen 1968), with Sen's interval of 95 %; it bears outliers. Null with fewer than
 * four points. A long series is thinned evenly.
 */
export function theilSenSlope(points: readonly (readonly [x: number, y: number])[]): Interval | null {
  const step = Math.max(1, Math.ceil(points.length / mostPoints));
  const used = points.filter((_, at) => at % step === 0);
  const slopes: number[] = [];
  used.forEach(([x, y], at) => {
    for (const [otherX, otherY] of used.slice(at + 1)) if (otherX !== x) slopes.push((otherY - y) / (otherX - x));
  });
  if (used.length < 4 || slopes.length === 0) return null;
  slopes.sort((left, right) => left - right);
  const n = used.length;
  const ties = tiesOf(used.map(([, y]) => y));
  // Variance of Kendall's statistic with ties (Sen 1968, 2.6).
  const variance = (n * (n - 1) * (2 * n + 5) - ties.reduce((sum, tie) => sum + tie * (tie - 1) * (2 * tie + 5), 0)) / 18;
  const reach = normal975 * Math.sqrt(variance);
  const at = (place: number) => slopes[Math.max(0, Math.min(slopes.length - 1, place))] ?? NaN;
  return {
    value: median(slopes),
    low: at(Math.round((slopes.length - reach) / 2) - 1),
    high: at(Math.round((slopes.length + reach) / 2)),
  };
}

/** Sizes of the groups of equal values. */
function tiesOf(values: readonly number[]): number[] {
  const groups = new Map<number, number>();
  for (const value of values) groups.set(value, (groups.get(value) ?? 0) + 1);
  return [...groups.values()].filter((size) => size > 1);
}

/** A place from which on a series lies at another level. */
export interface ChangePoint {
  /** Index of the first value of the new level. */
  at: number;
  before: number;
  after: number;
  /** How likely so large a change is by chance. */
  chance: number;
}

/**
 * The likeliest change of level of a series, by ranks (Pettitt 1979), with its approximate probability under no change. `before` and `after` are medians.
 * Null with fewer than eight values.
 */
export function changePoint(values: readonly number[]): ChangePoint | null {
  const n = values.length;
  if (n < 8) return null;
  const ranks = ranksOf(values);
  let sum = 0;
  let best = { at: 1, size: 0 };
  for (let t = 1; t < n; t++) {
    sum += ranks[t - 1] ?? 0;
    const size = Math.abs(2 * sum - t * (n + 1));
    if (size > best.size) best = { at: t, size };
  }
  return {
    at: best.at,
    before: median(values.slice(0, best.at)),
    after: median(values.slice(best.at)),
    chance: Math.min(1, 2 * Math.exp((-6 * best.size ** 2) / (n ** 3 + n ** 2))),
  };
}

/** Ranks from 1; equal values share the mean of theirs. */
export function ranksOf(values: readonly number[]): number[] {
  const order = values.map((value, at) => ({ value, at })).sort((left, right) => left.value - right.value);
  const ranks = new Array<number>(values.length).fill(0);
  for (let from = 0; from < order.length;) {
    let to = from;
    while (to + 1 < order.length && order[to + 1]?.value === order[from]?.value) to++;
    for (let place = from; place <= to; place++) ranks[order[place]?.at ?? 0] = (from + to) / 2 + 1;
    from = to + 1;
  }
  return ranks;
}
