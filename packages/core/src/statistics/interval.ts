/** A figure with the range in which it lies with a confidence of 95 %. */
export interface Interval {
  value: number;
  low: number;
  high: number;
}

/** Draws numbers from 0 to below 1. */
export type Random = () => number;

/** The middle value; the mean of the two in the middle where there is an even number. NaN where there is none. */
export function median(values: readonly number[]): number {
  const sorted = [...values].sort((left, right) => left - right);
  const middle = sorted.length >> 1;
  if (sorted.length === 0) return NaN;
  return sorted.length % 2 === 1 ? (sorted[middle] ?? NaN) : ((sorted[middle - 1] ?? NaN) + (sorted[middle] ?? NaN)) / 2;
}

export const mean = (values: readonly number[]): number => values.reduce((sum, value) => sum + value, 0) / values.length;

/** Standard deviation with n − 1. */
export function deviation(values: readonly number[]): number {
  const centre = mean(values);
  return Math.sqrt(values.reduce((sum, value) => sum + (value - centre) ** 2, 0) / (values.length - 1));
}

/** Quantile with linear interpolation between neighbours (Hyndman and Fan 1996, type 7). `share` from 0 to 1. */
export function quantile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((left, right) => left - right);
  const at = (sorted.length - 1) * share;
  const low = sorted[Math.floor(at)] ?? NaN;
  const high = sorted[Math.ceil(at)] ?? NaN;
  return low + (high - low) * (at - Math.floor(at));
}

/**
 * Quantile of the standard normal distribution for a share from 0.5 to below 1: Abramowitz and Stegun, Handbook of Mathematical Functions, 1964, 26.2.23. It is
 * right to 0.00045.
 */
export function normalQuantile(share: number): number {
  const t = Math.sqrt(-2 * Math.log(1 - share));
  return t - (2.515517 + 0.802853 * t + 0.010328 * t ** 2) / (1 + 1.432788 * t + 0.189269 * t ** 2 + 0.001308 * t ** 3);
}

/**
 * Quantile of Student's t for a share from 0.5 to below 1 and three degrees of freedom or more: Abramowitz and Stegun, 26.7.5. Up to a share of 0.999 it is right
 * to a few in a hundred at three, and to a few in a thousand above nine.
 */
export function studentQuantile(share: number, freedom: number): number {
  const z = normalQuantile(share);
  return (
    z +
    (z ** 3 + z) / 4 / freedom +
    (5 * z ** 5 + 16 * z ** 3 + 3 * z) / 96 / freedom ** 2 +
    (3 * z ** 7 + 19 * z ** 5 + 17 * z ** 3 - 15 * z) / 384 / freedom ** 3 +
    (79 * z ** 9 + 776 * z ** 7 + 1482 * z ** 5 - 1920 * z ** 3 - 945 * z) / 92_160 / freedom ** 4
  );
}

/** 97.5 % of the standard normal distribution lie below the first, of Student's t below the second. */
export const normal975 = normalQuantile(0.975);
export const student975 = (freedom: number): number => studentQuantile(0.975, freedom);

/** The middle 95 % of replicates around a value: the percentile interval of Efron (1979). */
export const percentileInterval = (value: number, replicates: readonly number[]): Interval => ({
  value,
  low: Math.min(value, quantile(replicates, 0.025)),
  high: Math.max(value, quantile(replicates, 0.975)),
});
