import * as z from 'zod';
import { extractorKind, refining } from './extractor-kind.js';

/** A cookie that a response sets (RFC 6265, 4.1). */
export const cookie = extractorKind({
  schema: z.object({ kind: z.literal('cookie'), name: z.string(), ...refining }),
  reads: 'headers',
  receivedIn: 'cookie',
  words: ({ name }) => `the cookie ${name}`,
});
