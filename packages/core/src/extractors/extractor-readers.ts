import { attributeReader } from './attribute.js';
import { betweenReader } from './between.js';
import { cookieReader } from './cookie.js';
import { fieldReader } from './field.js';
import { headerReader } from './header.js';
import { jsonpathReader } from './jsonpath.js';
import { labelledReader } from './labelled.js';
import { regexReader } from './regex.js';
import { xmlReader } from './xml.js';
import { xpathReader } from './xpath.js';
import type { ExtractorReader } from './extractor-kind.js';
import type { Extractor, extractorKinds, ExtractorKindName } from './extractor.schema.js';

/** How each kind of extractor reads. */
const extractorReaders: { [Kind in ExtractorKindName]: ExtractorReader<(typeof extractorKinds)[Kind]> } = {
  header: headerReader,
  cookie: cookieReader,
  field: fieldReader,
  attribute: attributeReader,
  labelled: labelledReader,
  jsonpath: jsonpathReader,
  xml: xmlReader,
  xpath: xpathReader,
  between: betweenReader,
  regex: regexReader,
};

/** The reader of an extractor's kind. It is given that very extractor, so what its schema says of it holds. */
export const readerOf = (extractor: Extractor): ExtractorReader => extractorReaders[extractor.kind];
