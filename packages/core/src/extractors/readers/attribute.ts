import { attributeOf, elementsBeside } from './elements.js';
import type { ExtractorReader } from '../kinds/extractor-kind.js';
import type { attribute } from '../kinds/attribute.js';

/** Reads attributes of elements. */
export const attributeReader: ExtractorReader<typeof attribute> = {
  find: ({ element: name, by, attribute: read }, answer, beside) =>
    elementsBeside(answer, beside)
      .filter((element) => element.name === name && (!by || element.attributes[by.name] === by.value))
      .flatMap((element) => attributeOf(element, read)),
};
