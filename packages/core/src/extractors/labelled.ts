import * as z from 'zod';
import { labelledTexts } from '../answers/labels.js';
import { extractorKind, nth, pick, refining, type ExtractorReader } from './extractor-kind.js';

/** What the element of a page shows that carries a visible label: the value of a field, the cell of a header, a description. */
export const labelled = extractorKind({
  schema: z.object({ kind: z.literal('labelled'), label: z.string(), nth, pick: pick.optional(), ...refining }),
  reads: 'body',
  receivedIn: 'text',
  words: ({ label }) => `what is labelled “${label}”`,
});

export const labelledReader: ExtractorReader<typeof labelled> = {
  find: ({ label }, answer, beside) => labelledTexts(answer, label).filter(({ row }) => beside === undefined || row.includes(beside)),
};
