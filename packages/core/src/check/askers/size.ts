import { isWithin, limitProblem, limitWords } from '../kinds/check-kind.js';
import type { size } from '../kinds/size.js';
import type { CheckAsker } from './check-asker.js';

/** Asks for the size of an answer. */
export const sizeAsker: CheckAsker<typeof size> = {
  failure: (checked, { bytes }) =>
    isWithin(bytes, checked) ? null : `The answer has ${bytes} bytes, where ${limitWords(checked)} are wanted.`,
  readsBody: () => true,
  problem: limitProblem,
};
