import * as z from 'zod';

/** How two texts are compared; `less` and `more` compare them as numbers, `matches` takes the right one as an expression of RE2. */
export const ComparisonSchema = z.enum(['equals', 'differs', 'contains', 'lacks', 'matches', 'less', 'more', 'empty', 'filled']);
export type Comparison = z.infer<typeof ComparisonSchema>;

const comparisonWords: Record<Comparison, string> = {
  equals: 'is',
  differs: 'is not',
  contains: 'contains',
  lacks: 'does not contain',
  matches: 'matches',
  less: 'is less than',
  more: 'is more than',
  empty: 'is empty',
  filled: 'is not empty',
};
/** A comparison in words. */
export const comparisonText = (is: Comparison): string => comparisonWords[is];
/** True where the comparison is with something. */
export const hasRightSide = (is: Comparison): boolean => is !== 'empty' && is !== 'filled';
