import { xmlTexts } from '../../answers/xml-texts.js';
import type { ExtractorReader } from '../kinds/extractor-kind.js';
import type { xml } from '../kinds/xml.js';

/** Reads texts of XML elements. */
export const xmlReader: ExtractorReader<typeof xml> = {
  find: ({ path }, answer) => xmlTexts(answer.body).filter((text) => text.path === path),
};
