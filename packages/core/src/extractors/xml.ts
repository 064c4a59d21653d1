import * as z from 'zod';
import { xmlTexts } from '../answers/xml-texts.js';
import { extractorKind, nth, refining, type ExtractorReader } from './extractor-kind.js';

/** The text of an element of XML, by the names of the elements that lead to it. */
export const xml = extractorKind({
  schema: z.object({ kind: z.literal('xml'), path: z.string(), nth, ...refining }),
  reads: 'body',
  receivedIn: 'xml',
  words: ({ path }) => `the element ${path}`,
});

export const xmlReader: ExtractorReader<typeof xml> = {
  find: ({ path }, answer) => xmlTexts(answer.body).filter((text) => text.path === path),
};
