import { fitCurve } from './curve-fit.js';

/** Throughput at a load: users (or processors) and what was done in a second. */
export interface LoadPoint {
  users: number;
  perSecond: number;
}

/**
 * The Universal Scalability Law, X(N) = λN / (1 + σ(N − 1) + κN(N − 1)) (Gunther 1993; in this form Gunther, Guerrilla Capacity Planning, 2007,
 * chapter 5): λ is what one user gets alone, σ the share that waits for one another, κ what it costs to agree.
 */
export interface ScalabilityFit {
  alone: number;
  contention: number;
  coherency: number;
  /** Users at which throughput is highest; infinite where κ is 0. */
  peakUsers: number;
  peakPerSecond: number;
  /** What was measured less what the law says, for each point. */
  residuals: number[];
  /** Share of the variation that the law explains, at most 1. */
  explained: number;
}

/** What the law says for so many users. */
export const scalableThroughput = (
  { alone, contention, coherency }: Pick<ScalabilityFit, 'alone' | 'contention' | 'coherency'>,
  users: number,
): number => (alone * users) / (1 + contention * (users - 1) + coherency * users * (users - 1));

/**
 * Fits the law by least squares of throughput (Levenberg 1944, Marquardt 1963), with σ and κ of at least 0. Null with fewer than four points of
 * different users.
 */
export function fitScalability(points: readonly LoadPoint[]): ScalabilityFit | null {
  const usable = points.filter(({ users, perSecond }) => users > 0 && perSecond > 0);
  if (new Set(usable.map(({ users }) => users)).size < 4) return null;
  const lightest = usable.reduce((least, point) => (point.users < least.users ? point : least));
  const { parameters, residual } = fitCurve(
    (users, [alone = 0, contention = 0, coherency = 0]) => scalableThroughput({ alone, contention, coherency }, users),
    usable.map(({ users, perSecond }) => ({ x: users, y: perSecond, weight: 1 })),
    [lightest.perSecond / lightest.users, 0.01, 0.0001],
    [1e-12, 0, 0],
  );
  const [alone = 0, contention = 0, coherency = 0] = parameters;
  const fit = { alone, contention, coherency };
  const centre = usable.reduce((total, { perSecond }) => total + perSecond, 0) / usable.length;
  const variation = usable.reduce((total, { perSecond }) => total + (perSecond - centre) ** 2, 0);
  const peakUsers = coherency > 0 ? Math.sqrt(Math.max(0, 1 - contention) / coherency) : Infinity;
  return {
    ...fit,
    peakUsers,
    peakPerSecond: Number.isFinite(peakUsers)
      ? scalableThroughput(fit, Math.max(1, peakUsers))
      : contention > 0
        ? alone / contention
        : Infinity,
    residuals: points.map(({ users, perSecond }) => perSecond - scalableThroughput(fit, users)),
    explained: variation === 0 ? 1 : 1 - residual / variation,
  };
}
