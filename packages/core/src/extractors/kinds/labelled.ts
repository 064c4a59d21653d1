import * as z from 'zod';
import { extractorKind, nth, pick, refining } from './extractor-kind.js';

/** What the element of a page shows that carries a visible label: the value of a field, the cell of a header, a description. */
export const labelled = extractorKind({
  schema: z.object({ kind: z.literal('labelled'), label: z.string(), nth, pick: pick.optional(), ...refining }),
  reads: 'body',
  receivedIn: 'text',
  words: ({ label }) => `what is labelled “${label}”`,
});
