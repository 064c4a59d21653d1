import { Tally } from '../measure/tally.js';
import type { Frame } from '../measure/frame.schema.js';
import type { Period } from '../analyse/verdict.js';
import { deviation, studentQuantile, type Interval, type Random } from '../statistics/interval.js';

/** A hold is cut into so many blocks: their figures are nearly independent, which single samples in a queue are not (batch means; Conway 1963). */
export const blocksOfHold = 20;

/** The samples of one block: their count and sum, and how many lie at each response time. */
export interface Block {
  count: number;
  sum: number;
  counts: [ms: number, count: number][];
}

/** The blocks of each transaction over a period. */
export function blocksOf(frames: readonly Frame[], period: Period): Map<string, Block[]> {
  const width = (period.toSecond - period.fromSecond) / blocksOfHold;
  const tallies = new Map<string, Tally[]>();
  for (const { second, items } of frames) {
    if (second < period.fromSecond || second >= period.toSecond) continue;
    const at = Math.min(blocksOfHold - 1, Math.floor((second - period.fromSecond) / width));
    for (const { transaction, step, tally } of items) {
      if (step !== null || tally.count === 0) continue;
      let own = tallies.get(transaction);
      if (!own) tallies.set(transaction, (own = Array.from({ length: blocksOfHold }, () => new Tally())));
      own[at]?.merge(Tally.from(tally));
    }
  }
  return new Map(
    [...tallies].map(([name, own]) => [name, own.map((tally) => ({ count: tally.count, sum: tally.sum, counts: tally.counts() }))]),
  );
}

/** Makes a figure of blocks ready to be computed for other multiples of them: `times` says how often each counts. */
export type BlockFigure = (blocks: readonly Block[]) => (times: readonly number[]) => number;

export const meanOfBlocks: BlockFigure = (blocks) => (times) => {
  let [sum, count] = [0, 0];
  blocks.forEach((block, at) => {
    sum += (times[at] ?? 0) * block.sum;
    count += (times[at] ?? 0) * block.count;
  });
  return sum / count;
};

/** Percentile of the samples of blocks by nearest rank. */
export const percentileOfBlocks =
  (percent: number): BlockFigure =>
  (blocks) => {
    const places = blocks
      .flatMap(({ counts }, block) => counts.map(([ms, count]) => ({ ms, count, block })))
      .sort((left, right) => left.ms - right.ms);
    return (times) => {
      const all = blocks.reduce((sum, { count }, at) => sum + (times[at] ?? 0) * count, 0);
      let left = Math.ceil((all * percent) / 100);
      for (const { ms, count, block } of places) if ((left -= (times[block] ?? 0) * count) <= 0) return ms;
      return NaN;
    };
  };

/** The figure of all blocks, each once. */
export const figureOf = (blocks: readonly Block[], figure: BlockFigure): number => figure(blocks)(blocks.map(() => 1));

/** Draws of blocks for one interval. */
const replicates = 200;

/** How far a figure of blocks varies: the deviation of its bootstrap over blocks (Efron 1979), made up for their small number (√(n / (n − 1))). */
function errorOfBlocks(blocks: readonly Block[], figure: BlockFigure, random: Random): number {
  const used = blocks.filter(({ count }) => count > 0);
  const compute = figure(used);
  const values = Array.from({ length: replicates }, () => {
    const times = used.map(() => 0);
    for (const _ of used) {
      const at = Math.floor(random() * used.length);
      times[at] = (times[at] ?? 0) + 1;
    }
    return compute(times);
  });
  return deviation(values) * Math.sqrt(used.length / (used.length - 1));
}

/** A figure with its interval; `comparisons` widens it so that all of so many hold together with 95 % (Bonferroni). Null with too few samples. */
export function figureInterval(blocks: readonly Block[], figure: BlockFigure, random: Random, comparisons = 1): Interval | null {
  if (!isEnough(blocks)) return null;
  const value = figureOf(blocks, figure);
  const reach = studentQuantile(1 - 0.025 / comparisons, blocks.length - 1) * errorOfBlocks(blocks, figure, random);
  return { value, low: value - reach, high: value + reach };
}

/** How much later a figure is in the second of two sets of blocks. Null with too few samples in one of them. */
export function differenceInterval(
  before: readonly Block[],
  after: readonly Block[],
  figure: BlockFigure,
  random: Random,
  comparisons = 1,
): Interval | null {
  if (!isEnough(before) || !isEnough(after)) return null;
  const value = figureOf(after, figure) - figureOf(before, figure);
  const error = Math.hypot(errorOfBlocks(before, figure, random), errorOfBlocks(after, figure, random));
  const reach = studentQuantile(1 - 0.025 / comparisons, before.length + after.length - 2) * error;
  return { value, low: value - reach, high: value + reach };
}

/** Blocks with samples, and samples in all, below which nothing is compared (common practice, no source). */
const fewestBlocks = 8;
const fewestSamples = 30;
export const isEnough = (blocks: readonly Block[]): boolean =>
  blocks.filter(({ count }) => count > 0).length >= fewestBlocks && blocks.reduce((sum, { count }) => sum + count, 0) >= fewestSamples;
