import { attributeOf, elementsBeside } from './elements.js';
import type { ExtractorReader } from '../kinds/extractor-kind.js';
import type { field } from '../kinds/field.js';

/** Reads form fields. */
export const fieldReader: ExtractorReader<typeof field> = {
  find: ({ name }, answer, beside) =>
    elementsBeside(answer, beside)
      .filter((element) => element.attributes['name'] === name)
      .flatMap((element) => attributeOf(element, 'value')),
};
