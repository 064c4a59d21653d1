import * as z from 'zod';
import { extractorKind, refining } from './extractor-kind.js';

/** A header of a response. */
export const header = extractorKind({
  schema: z.object({ kind: z.literal('header'), name: z.string(), ...refining }),
  reads: 'headers',
  receivedIn: 'header',
  words: ({ name }) => `the header ${name}`,
});
