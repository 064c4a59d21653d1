import { solveLinear } from './linear.js';
import type { WeightedPoint } from './segmented.js';

/** Parameters of a curve with the weighted sum of squared residuals that they leave. */
export interface CurveFit {
  parameters: number[];
  residual: number;
}

const mostRounds = 300;

/**
 * Fits a curve by weighted least squares (Levenberg 1944, Marquardt 1963), with slopes by differences. No parameter goes below its entry in `least`. Ends where
 * a round gains less than the share `precision`, with the best that it came to from `start`.
 */
export function fitCurve(
  curve: (x: number, parameters: readonly number[]) => number,
  points: readonly WeightedPoint[],
  start: readonly number[],
  least: readonly number[],
  precision = 1e-12,
): CurveFit {
  const residualOf = (parameters: readonly number[]) =>
    points.reduce((sum, { x, y, weight }) => sum + weight * (y - curve(x, parameters)) ** 2, 0);
  let parameters = [...start];
  let residual = residualOf(parameters);
  let damping = 1e-3;
  for (let round = 0; round < mostRounds && residual > 0; round++) {
    const { matrix, right } = normalEquations(curve, points, parameters);
    // A parameter that rests on its bound and is pulled below it stays there.
    const isHeld = parameters.map((value, i) => value <= (least[i] ?? -Infinity) && (right[i] ?? 0) < 0);
    const damped = matrix.map((row, i) =>
      row.map((value, k) => (isHeld[i] === true || isHeld[k] === true ? Number(i === k) : i === k ? value * (1 + damping) : value)),
    );
    const step = solveLinear(
      damped,
      right.map((value, i) => (isHeld[i] === true ? 0 : value)),
    );
    if (!step) break;
    const next = parameters.map((value, i) => Math.max(least[i] ?? -Infinity, value + (step[i] ?? 0)));
    const residualNext = residualOf(next);
    if (residualNext < residual) {
      const gain = (residual - residualNext) / residual;
      parameters = next;
      residual = residualNext;
      damping = Math.max(1e-12, damping / 10);
      if (gain < precision) break;
    } else {
      damping *= 10;
      if (damping > 1 / precision) break;
    }
  }
  return { parameters, residual };
}

/** Sums of slopes by slopes, and of slopes by residuals. */
function normalEquations(
  curve: (x: number, parameters: readonly number[]) => number,
  points: readonly WeightedPoint[],
  parameters: readonly number[],
): { matrix: number[][]; right: number[] } {
  const matrix = parameters.map(() => parameters.map(() => 0));
  const right = parameters.map(() => 0);
  for (const { x, y, weight } of points) {
    const fitted = curve(x, parameters);
    const slopes = parameters.map((value, i) => {
      const width = 1e-6 * Math.max(Math.abs(value), 1e-6);
      return (curve(x, parameters.with(i, value + width)) - fitted) / width;
    });
    slopes.forEach((slope, i) => {
      right[i] = (right[i] ?? 0) + weight * slope * (y - fitted);
      slopes.forEach((other, k) => {
        const row = matrix[i];
        if (row) row[k] = (row[k] ?? 0) + weight * slope * other;
      });
    });
  }
  return { matrix, right };
}
