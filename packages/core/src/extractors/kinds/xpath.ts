import * as z from 'zod';
import { extractorKind, pick, refining } from './extractor-kind.js';

/** XPath 3.1 over an XML answer; prefixes are those of the document. */
export const xpath = extractorKind({
  schema: z.object({ kind: z.literal('xpath'), expression: z.string(), pick: pick.default('first'), ...refining }),
  reads: 'body',
  receivedIn: 'xml',
  words: ({ expression }) => expression,
});
