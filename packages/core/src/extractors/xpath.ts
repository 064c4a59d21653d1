import * as z from 'zod';
import { checkXPath, xPathTexts } from '../answers/x-path.js';
import { encode } from '../values/encoding.js';
import { extractorKind, pick, refining, withoutPlace, type ExtractorReader } from './extractor-kind.js';

/** XPath 3.1 over an XML answer; prefixes are those of the document. */
export const xpath = extractorKind({
  schema: z.object({ kind: z.literal('xpath'), expression: z.string(), pick, ...refining }),
  reads: 'body',
  receivedIn: 'xml',
  words: ({ expression }) => expression,
});

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
