import { mean } from './interval.js';
import { ranksOf } from './trend.js';

/** Correlation of two series of equal length (Pearson); 0 where one of them does not move. */
export function correlationOf(left: readonly number[], right: readonly number[]): number {
  const [centreLeft, centreRight] = [mean(left), mean(right)];
  let [product, squareLeft, squareRight] = [0, 0, 0];
  left.forEach((value, at) => {
    const [x, y] = [value - centreLeft, (right[at] ?? 0) - centreRight];
    product += x * y;
    squareLeft += x * x;
    squareRight += y * y;
  });
  return squareLeft === 0 || squareRight === 0 ? 0 : product / Math.sqrt(squareLeft * squareRight);
}

/** Rank correlation (Spearman 1904): how far two series rise and fall together, whatever their scale. */
export const rankCorrelation = (left: readonly number[], right: readonly number[]): number => correlationOf(ranksOf(left), ranksOf(right));

/** A rank correlation and by how many steps the second series came earlier (positive) or later (negative). */
export interface LaggedCorrelation {
  correlation: number;
  lag: number;
  /** Pairs that it rests on. */
  pairs: number;
}

/**
 * The strongest rank correlation of `left` at a moment with `right` up to `mostLag` steps before or after it. Gaps (null) are left out pair by pair. Null
 * where fewer than `fewest` pairs are left.
 */
export function laggedCorrelation(
  left: readonly (number | null)[],
  right: readonly (number | null)[],
  mostLag: number,
  fewest = 20,
): LaggedCorrelation | null {
  let best: LaggedCorrelation | null = null;
  for (let lag = -mostLag; lag <= mostLag; lag++) {
    const pairs: [number, number][] = [];
    left.forEach((value, at) => {
      const other = right[at - lag];
      if (value !== null && other != null) pairs.push([value, other]);
    });
    if (pairs.length < fewest) continue;
    const correlation = rankCorrelation(
      pairs.map(([value]) => value),
      pairs.map(([, other]) => other),
    );
    // Of two that are as strong the nearer one is told.
    if (
      !best ||
      Math.abs(correlation) > Math.abs(best.correlation) + 0.01 ||
      (Math.abs(correlation) > Math.abs(best.correlation) - 0.01 && Math.abs(lag) < Math.abs(best.lag))
    )
      best = { correlation, lag, pairs: pairs.length };
  }
  return best;
}

/** Autocorrelation at lags from 0 (Box and Jenkins 1976, 2.1.5: sums over n, not n − k). */
export function autocorrelation(values: readonly number[], mostLag: number): number[] {
  const centre = mean(values);
  const whole = values.reduce((sum, value) => sum + (value - centre) ** 2, 0);
  return Array.from({ length: mostLag + 1 }, (_, lag) => {
    if (whole === 0) return lag === 0 ? 1 : 0;
    let sum = 0;
    for (let at = lag; at < values.length; at++) sum += ((values[at] ?? 0) - centre) * ((values[at - lag] ?? 0) - centre);
    return sum / whole;
  });
}

/** A rhythm of a series: its period in steps, and the autocorrelation there. */
export interface Rhythm {
  period: number;
  strength: number;
}

/** Weaker rhythms than this are not told (common practice, no source). */
const leastStrength = 0.3;

/**
 * The period after which a series comes back to itself: the first high peak of its autocorrelation beyond what noise gives (1.96/√n; Bartlett 1946), that is
 * followed by another at twice the period. Null where there is none; at least three periods must be there.
 */
export function rhythmOf(values: readonly number[]): Rhythm | null {
  const mostLag = Math.floor(values.length / 3);
  if (mostLag < 4) return null;
  const found = autocorrelation(values, 2 * mostLag);
  const noise = Math.max(leastStrength, 1.96 / Math.sqrt(values.length));
  const at = (lag: number) => found[lag] ?? 0;
  const peak = (lag: number) => at(lag) > noise && at(lag) >= at(lag - 1) && at(lag) >= at(lag + 1);
  for (let lag = 3; lag <= mostLag; lag++) {
    if (!peak(lag) || Math.min(...found.slice(1, lag)) > at(lag) / 2) continue;
    const twice = Math.max(at(2 * lag - 1), at(2 * lag), at(2 * lag + 1));
    if (twice > at(lag) / 3) return { period: lag, strength: at(lag) };
  }
  return null;
}
