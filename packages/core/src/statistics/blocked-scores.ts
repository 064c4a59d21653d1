/** A block of scores, of which a group has some. */
export interface ScoreBlock {
  /** Scores in the block, their mean, and the sum of their squared distances from it. */
  count: number;
  mean: number;
  squares: number;
  /** Scores of the group, and their sum. */
  ownCount: number;
  ownSum: number;
}

/** What is known of a block before a group is looked at. */
export function scoreBlock(scores: readonly number[]): Pick<ScoreBlock, 'count' | 'mean' | 'squares'> {
  const mean = scores.reduce((sum, score) => sum + score, 0) / scores.length;
  return { count: scores.length, mean, squares: scores.reduce((sum, score) => sum + (score - mean) ** 2, 0) };
}

/**
 * How far the scores of a group are above what a blind draw within each block would give it, in standard deviations of that draw; 0 where no block holds
 * both the group and others, or all scores of each block are the same. With scores of 0 and 1 this is the root of the statistic of Mantel and Haenszel (1959)
 * without correction, with the ranks of each block the rank sum of Wilcoxon over blocks (Strasser and Weber 1999; Hothorn et al. 2006).
 */
export function blockedDeviation(blocks: Iterable<ScoreBlock>): number {
  let [above, variance] = [0, 0];
  for (const { count, mean, squares, ownCount, ownSum } of blocks) {
    if (ownCount === 0 || ownCount === count) continue;
    above += ownSum - ownCount * mean;
    variance += (ownCount * (count - ownCount) * squares) / (count * (count - 1));
  }
  return variance > 0 ? above / Math.sqrt(variance) : 0;
}
