import * as z from 'zod';
import { extractorKind, nth, pick, refining } from './extractor-kind.js';

/** The text between two others. */
export const between = extractorKind({
  schema: z.object({ kind: z.literal('between'), left: z.string(), right: z.string(), nth, pick: pick.optional(), ...refining }),
  reads: 'body',
  receivedIn: 'text',
  words: ({ left, right }) => `the text between “${left}” and “${right}”`,
});
