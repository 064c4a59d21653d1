import * as z from 'zod';
import { extractorKind, pick, refining } from './extractor-kind.js';

/** Members of a JSON document, by JSONPath (RFC 9535). */
export const jsonpath = extractorKind({
  schema: z.object({ kind: z.literal('jsonpath'), path: z.string(), pick: pick.default('first'), ...refining }),
  reads: 'body',
  receivedIn: 'json',
  words: ({ path }) => path,
});
