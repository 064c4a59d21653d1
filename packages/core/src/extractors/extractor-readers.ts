import { attributeReader } from './readers/attribute.js';
import { betweenReader } from './readers/between.js';
import { cookieReader } from './readers/cookie.js';
import { fieldReader } from './readers/field.js';
import { headerReader } from './readers/header.js';
import { jsonpathReader } from './readers/jsonpath.js';
import { labelledReader } from './readers/labelled.js';
import { regexReader } from './readers/regex.js';
import { xmlReader } from './readers/xml.js';
import { xpathReader } from './readers/xpath.js';
import type { ExtractorReader } from './kinds/extractor-kind.js';
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
