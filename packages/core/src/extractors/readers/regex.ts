import { compileExpression } from '../../values/expression.js';
import { regexMatches } from '../../answers/text-matches.js';
import type { ExtractorReader } from '../kinds/extractor-kind.js';
import { besideInText } from './lines.js';
import type { regex } from '../kinds/regex.js';

/** Reads matches of an expression. */
export const regexReader: ExtractorReader<typeof regex> = {
  find: ({ pattern }, { body }, beside) => besideInText(regexMatches(pattern, body), body, beside),
  check: ({ pattern }) => {
    compileExpression(pattern);
  },
};
