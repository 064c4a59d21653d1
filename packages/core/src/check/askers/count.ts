import { describeExtractor } from '../../extractors/describe-extractor.js';
import { allMatches, checkExtractor, readsFromBody } from '../../extractors/extract.js';
import { isWithin, limitProblem, limitWords } from '../kinds/check-kind.js';
import type { count } from '../kinds/count.js';
import type { CheckAsker } from './check-asker.js';

/** Asks how many matches an extractor has. */
export const countAsker: CheckAsker<typeof count> = {
  failure: (checked, { view }, fill) => {
    const matches = allMatches(checked.extractor, view, fill).length;
    return isWithin(matches, checked)
      ? null
      : `There are ${matches} of ${describeExtractor(checked.extractor)}, where ${limitWords(checked)} are wanted.`;
  },
  readsBody: ({ extractor }) => readsFromBody(extractor),
  problem: (checked) => {
    checkExtractor(checked.extractor);
    return limitProblem(checked);
  },
};
