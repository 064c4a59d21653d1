import * as z from 'zod';
import { extractorKind, nth, pick, refining } from './extractor-kind.js';

/** The first group of an expression (RE2), or its whole match. */
export const regex = extractorKind({
  schema: z.object({ kind: z.literal('regex'), pattern: z.string(), nth, pick: pick.optional(), ...refining }),
  reads: 'body',
  receivedIn: 'text',
  words: ({ pattern }) => `the text that ${pattern} finds`,
});
