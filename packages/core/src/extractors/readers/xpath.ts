import { checkXPath, xPathTexts } from '../../answers/x-path.js';
import { encode } from '../../values/encoding.js';
import { withoutPlace, type ExtractorReader } from '../kinds/extractor-kind.js';
import type { xpath } from '../kinds/xpath.js';

/** Reads what XPath gives. */
export const xpathReader: ExtractorReader<typeof xpath> = {
  find: ({ expression }, answer) => xPathTexts(expression, answer).map(withoutPlace),
  // Where the texts stand, as far as they stand there just so: each behind the one before.
  spans: ({ expression }, answer) => {
    let from = 0;
    return xPathTexts(expression, answer).map((text) => {
      const written = encode('xml', text);
      const at = written === '' ? -1 : answer.body.indexOf(written, from);
      if (at < 0) return { start: 0, end: 0 };
      from = at + written.length;
      return { start: at, end: from };
    });
  },
  check: ({ expression }) => {
    checkXPath(expression);
  },
};
