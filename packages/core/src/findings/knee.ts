import { machineRepairman } from '../analyse/queueing.js';
import { fitCurve } from '../statistics/curve-fit.js';
import { normal975, percentileInterval, student975, type Interval, type Random } from '../statistics/interval.js';
import type { WeightedPoint } from '../statistics/segmented.js';
import { levelPerSecond, type LoadLevel } from './load-levels.js';
import type { SecondTotals } from './ground.js';

/** Where throughput of a closed system stops growing with its users. */
export interface Knee {
  /** Users at which the two bounds cross: N* = X(max) · (R + Z). */
  users: Interval;
  /** What throughput comes to at most, in iterations a second. */
  perSecond: Interval;
  /** What an iteration takes with its pauses while nobody waits, in seconds. */
  cycleSeconds: number;
  /** What the fitted curve says for so many users. */
  curve: (users: number) => number;
  /** Levels that were left out: less than half of what the others let expect was done there, so something stood still. */
  stoodStill: readonly LoadLevel[];
}

/** Shapes of the bend that are tried: workers of the station at the limit; null for a bend without rounding. */
const shapes = [1, 2, 4, 8, 16, 32, null] as const;
type Shape = (typeof shapes)[number];
/** With more users only the bend without rounding is tried: a large system has a sharp one. */
const mostRounded = 400;
/** A level is cut into so many blocks, which the bootstrap draws: what follows each other is alike, blocks are nearly not. */
const blocksOfLevel = 6;
/** Parts that a fit must gain in a round to go on: the noise is much larger. */
const precision = 1e-5;

/** Throughput of M/M/c//N by its capacity and its cycle time without waiting (Kleinrock 1975, 3.8); without rounding, its bounds. */
function throughput(shape: Shape, users: number, cycleSeconds: number, capacity: number): number {
  if (shape === null) return Math.min(users / cycleSeconds, capacity);
  const serviceSeconds = Math.min(shape / capacity, 0.999 * cycleSeconds);
  const think = cycleSeconds - serviceSeconds;
  // Users are a mean, so between whole numbers the curve is straight.
  const low = Math.floor(users);
  const at = (count: number) => (count < 1 ? 0 : machineRepairman(count, shape, serviceSeconds, think).throughput);
  return users === low ? at(low) : at(low) + (users - low) * (at(low + 1) - at(low));
}

const pointOf = (level: LoadLevel): WeightedPoint => ({ x: level.load, y: levelPerSecond(level), weight: level.seconds.length });

function fitShape(points: readonly WeightedPoint[], shape: Shape, start: readonly number[]) {
  return {
    shape,
    ...fitCurve((users, [cycle = 1, capacity = 1]) => throughput(shape, users, cycle, capacity), points, start, [1e-6, 1e-6], precision),
  };
}

/** The curve of a closed model that leaves the least of the levels; null where these do not tell enough for one. */
function fitLevels(levels: readonly LoadLevel[]) {
  const points = levels.map(pointOf);
  const [lightest] = [...points].sort((left, right) => left.x - right.x);
  const most = points.reduce((best, { y }) => Math.max(best, y), 0);
  const heaviest = points.reduce((best, { x }) => Math.max(best, x), 0);
  if (!lightest || new Set(points.map(({ x }) => Math.round(x))).size < 4 || most <= 0) return null;
  // Below the bend an iteration takes its cycle, above it longer: the quickest level is a good start, whatever one level met by accident.
  const quickest = Math.min(...points.filter(({ y }) => y > 0).map(({ x, y }) => x / y));
  const [best] = shapes
    .filter((shape) => shape === null || heaviest <= mostRounded)
    .map((shape) => fitShape(points, shape, [quickest, most]))
    .sort((left, right) => left.residual - right.residual);
  return best ? { ...best, lightest: lightest.x, heaviest } : null;
}

/**
 * Fits throughput over users by the curve of a closed queueing model, of which capacity, cycle time and rounding are free: its bounds cross at N*
 * (Lazowska, Zahorjan, Graham, Sevcik: Quantitative System Performance, 1984, chapter 5). The interval comes from a bootstrap of blocks within the levels
 * (circular block bootstrap; Politis and Romano 1992). Null with fewer than four levels, where throughput still grows on the last one, and where it did
 * not grow from the first one on.
 */
export function kneeOf(levels: readonly LoadLevel[], random: Random, replicates = 200): Knee | null {
  let [played, stoodStill]: [readonly LoadLevel[], LoadLevel[]] = [levels, []];
  let best = fitLevels(played);
  while (best) {
    const fit = best;
    const [worst] = played
      .map((level) => ({
        level,
        share: levelPerSecond(level) / throughput(fit.shape, level.load, fit.parameters[0] ?? 1, fit.parameters[1] ?? 1),
      }))
      .sort((left, right) => left.share - right.share);
    if (!worst || worst.share >= 0.5 || stoodStill.length + 1 > levels.length / 5) break;
    stoodStill = [...stoodStill, worst.level];
    played = played.filter((level) => level !== worst.level);
    best = fitLevels(played);
  }
  if (!best) return null;
  const { shape, parameters, lightest, heaviest } = best;
  const [cycleSeconds = 1, capacity = 1] = parameters;
  const users = capacity * cycleSeconds;
  // Beyond what was played nothing is known of a bend, nor before it.
  if (users > 0.9 * heaviest || users < lightest) return null;
  const drawnUsers: number[] = [];
  const drawnRates: number[] = [];
  const near = shapesNear(shape);
  for (let n = 0; n < replicates; n++) {
    const drawn = played.map((level) => pointOf({ ...level, seconds: drawBlocks(level.seconds, random) }));
    // How round the bend is, is not known either.
    const [again] = near.map((other) => fitShape(drawn, other, parameters)).sort((left, right) => left.residual - right.residual);
    const [cycle = 1, rate = 1] = again?.parameters ?? parameters;
    drawnUsers.push(cycle * rate);
    drawnRates.push(rate);
  }
  return {
    users: widened(percentileInterval(users, drawnUsers)),
    perSecond: widened(percentileInterval(capacity, drawnRates)),
    cycleSeconds,
    curve: (count) => throughput(shape, count, cycleSeconds, capacity),
    stoodStill,
  };
}

/** A shape with those that are next to it. */
const shapesNear = (shape: Shape): Shape[] => {
  const at = shapes.indexOf(shape);
  return shapes.filter((_, place) => Math.abs(place - at) <= 1);
};

/**
 * Draws from few blocks vary less than the blocks do, by √((n − 1) / n) (Efron and Tibshirani, An Introduction to the Bootstrap, 1993, 5.3); and the blocks of
 * the two levels around the bend say nearly all of it, so the range is that of Student’s t for so many.
 */
function widened({ value, low, high }: Interval): Interval {
  const by = (Math.sqrt(blocksOfLevel / (blocksOfLevel - 1)) * student975(2 * (blocksOfLevel - 1))) / normal975;
  return { value, low: value - by * (value - low), high: value + by * (high - value) };
}

/** As many seconds again, in blocks that are drawn with replacement; a block may begin at any second, and goes on at the begin where it meets the end. */
function drawBlocks(seconds: readonly SecondTotals[], random: Random): SecondTotals[] {
  const drawn: SecondTotals[] = [];
  const length = Math.max(1, Math.round(seconds.length / blocksOfLevel));
  while (drawn.length < seconds.length) {
    const from = Math.floor(random() * seconds.length);
    for (let place = 0; place < length && drawn.length < seconds.length; place++) {
      const second = seconds[(from + place) % seconds.length];
      if (second) drawn.push(second);
    }
  }
  return drawn;
}
