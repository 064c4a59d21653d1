import { solveLinear } from './linear.js';
import { percentileInterval, type Interval, type Random } from './interval.js';

/** A point with its weight, such as the number of samples behind it. */
export interface WeightedPoint {
  x: number;
  y: number;
  weight: number;
}

/** Two straight lines that meet at `breakAt`: `level + slopeBefore · x + (slopeAfter − slopeBefore) · max(0, x − breakAt)`. */
export interface SegmentedFit {
  breakAt: number;
  level: number;
  slopeBefore: number;
  slopeAfter: number;
  /** Weighted sum of squared residuals, and that of one straight line. */
  residual: number;
  residualOfLine: number;
}

/** Weighted least squares of y on the given columns of each point. */
function leastSquares(
  points: readonly WeightedPoint[],
  columnsOf: (x: number) => number[],
): { coefficients: number[]; residual: number } | null {
  const columns = points.map((point) => columnsOf(point.x));
  const size = columns[0]?.length ?? 0;
  const matrix = Array.from({ length: size }, () => new Array<number>(size).fill(0));
  const right = new Array<number>(size).fill(0);
  points.forEach(({ y, weight }, at) => {
    const row = columns[at] ?? [];
    row.forEach((left, i) => {
      right[i] = (right[i] ?? 0) + weight * left * y;
      row.forEach((value, k) => {
        const line = matrix[i];
        if (line) line[k] = (line[k] ?? 0) + weight * left * value;
      });
    });
  });
  const coefficients = solveLinear(matrix, right);
  if (!coefficients) return null;
  const residual = points.reduce((sum, { y, weight }, at) => {
    const fitted = (columns[at] ?? []).reduce((total, value, i) => total + value * (coefficients[i] ?? 0), 0);
    return sum + weight * (y - fitted) ** 2;
  }, 0);
  return { coefficients, residual };
}

/** Steps of the search for a break within the range of x, before it is refined. */
const searchSteps = 60;

/**
 * Fits two straight lines that meet (segmented regression; Muggeo 2003): for each place of the break the rest is linear least squares, so the
 * break is searched on a grid and then refined by golden section. Null with fewer than five different x. There are at least two different x on each side.
 */
export function fitSegmented(points: readonly WeightedPoint[]): SegmentedFit | null {
  const places = [...new Set(points.map(({ x }) => x))].sort((left, right) => left - right);
  const [low, high] = [places[1], places.at(-2)];
  if (places.length < 5 || low === undefined || high === undefined) return null;
  const at = (breakAt: number) => leastSquares(points, (x) => [1, x, Math.max(0, x - breakAt)]);
  let best: { breakAt: number; residual: number } | null = null;
  for (let step = 0; step <= searchSteps; step++) {
    const breakAt = low + ((high - low) * step) / searchSteps;
    const fit = at(breakAt);
    if (fit && (!best || fit.residual < best.residual)) best = { breakAt, residual: fit.residual };
  }
  if (!best) return null;
  const wide = (high - low) / searchSteps;
  const breakAt = goldenSection(
    (place) => at(place)?.residual ?? Infinity,
    Math.max(low, best.breakAt - wide),
    Math.min(high, best.breakAt + wide),
  );
  const fit = at(breakAt);
  const line = leastSquares(points, (x) => [1, x]);
  if (!fit || !line) return null;
  const [level = 0, slopeBefore = 0, change = 0] = fit.coefficients;
  return { breakAt, level, slopeBefore, slopeAfter: slopeBefore + change, residual: fit.residual, residualOfLine: line.residual };
}

/** Where a function of one dip is lowest, to a ten-thousandth of the range (Kiefer 1953). */
export function goldenSection(of: (x: number) => number, from: number, to: number): number {
  const ratio = (Math.sqrt(5) - 1) / 2;
  let [low, high] = [from, to];
  let left = high - ratio * (high - low);
  let right = low + ratio * (high - low);
  let [atLeft, atRight] = [of(left), of(right)];
  while (high - low > (to - from) * 1e-4 && high - low > 1e-9) {
    if (atLeft < atRight) {
      [high, right, atRight] = [right, left, atLeft];
      left = high - ratio * (high - low);
      atLeft = of(left);
    } else {
      [low, left, atLeft] = [left, right, atRight];
      right = low + ratio * (high - low);
      atRight = of(right);
    }
  }
  return (low + high) / 2;
}

/** A break that is taken for real lessens what one straight line leaves by this share at least (common practice, no source). */
const leastGain = 0.3;

/**
 * Where a figure leaves its line, with an interval by the bootstrap of points (Efron 1979); null where two lines tell little more than one does, or
 * the second one does not rise more steeply.
 */
export function breakUpwards(points: readonly WeightedPoint[], random: Random, replicates = 200): (SegmentedFit & { at: Interval }) | null {
  const fit = fitSegmented(points);
  if (!fit || fit.slopeAfter <= fit.slopeBefore || fit.residual > (1 - leastGain) * fit.residualOfLine) return null;
  const found: number[] = [];
  for (let n = 0; n < replicates; n++) {
    const drawn = points.flatMap(() => points[Math.floor(random() * points.length)] ?? []);
    const again = fitSegmented(drawn);
    if (again && again.slopeAfter > again.slopeBefore) found.push(again.breakAt);
  }
  if (found.length < replicates / 2) return null;
  return { ...fit, at: percentileInterval(fit.breakAt, found) };
}
