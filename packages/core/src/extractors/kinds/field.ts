import * as z from 'zod';
import { extractorKind, nth, refining } from './extractor-kind.js';

/** The value of a form field, by its name. */
export const field = extractorKind({
  schema: z.object({ kind: z.literal('field'), name: z.string(), nth, ...refining }),
  reads: 'body',
  receivedIn: 'field',
  words: ({ name }) => `the form field ${name}`,
});
