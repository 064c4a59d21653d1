import * as z from 'zod';
import { attributeOf, elementsBeside } from './elements.js';
import { extractorKind, nth, refining, type ExtractorReader } from './extractor-kind.js';

/** The value of a form field, by its name. */
export const field = extractorKind({
  schema: z.object({ kind: z.literal('field'), name: z.string(), nth, ...refining }),
  reads: 'body',
  receivedIn: 'field',
  words: ({ name }) => `the form field ${name}`,
});

export const fieldReader: ExtractorReader<typeof field> = {
  find: ({ name }, answer, beside) =>
    elementsBeside(answer, beside)
      .filter((element) => element.attributes['name'] === name)
      .flatMap((element) => attributeOf(element, 'value')),
};
