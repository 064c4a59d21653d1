import * as z from 'zod';
import { ResponseView } from '../answers/response-view.js';
import { headersOf } from '../take/messages.js';
import { extractorKind, refining, withoutPlace, type ExtractorReader } from './extractor-kind.js';

/** A header of a response. */
export const header = extractorKind({
  schema: z.object({ kind: z.literal('header'), name: z.string(), ...refining }),
  reads: 'headers',
  receivedIn: 'header',
  words: ({ name }) => `the header ${name}`,
});

export const headerReader: ExtractorReader<typeof header> = {
  find: ({ name }, answer) => (answer instanceof ResponseView ? headersOf(answer.headers, name).map(withoutPlace) : []),
};
