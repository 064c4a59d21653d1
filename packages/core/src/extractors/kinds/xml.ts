import * as z from 'zod';
import { extractorKind, nth, refining } from './extractor-kind.js';

/** The text of an element of XML, by the names of the elements that lead to it. */
export const xml = extractorKind({
  schema: z.object({ kind: z.literal('xml'), path: z.string(), nth, ...refining }),
  reads: 'body',
  receivedIn: 'xml',
  words: ({ path }) => `the element ${path}`,
});
