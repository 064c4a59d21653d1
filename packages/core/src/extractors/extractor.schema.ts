import * as z from 'zod';
import { attribute } from './kinds/attribute.js';
import { between } from './kinds/between.js';
import { cookie } from './kinds/cookie.js';
import type { ExtractorKind } from './kinds/extractor-kind.js';
import { field } from './kinds/field.js';
import { header } from './kinds/header.js';
import { jsonpath } from './kinds/jsonpath.js';
import { labelled } from './kinds/labelled.js';
import { regex } from './kinds/regex.js';
import { xml } from './kinds/xml.js';
import { xpath } from './kinds/xpath.js';

/** All ways to read a value from an answer; the web client has a form for each (`extractor-forms.ts`). */
export const extractorKinds = { header, cookie, field, attribute, labelled, jsonpath, xml, xpath, between, regex } as const;

type Kinds = typeof extractorKinds;
export type ExtractorKindName = keyof Kinds;
export const extractorKindNames = Object.keys(extractorKinds) as ExtractorKindName[];
/** How to read a value from an answer. */
export type Extractor = { [Kind in ExtractorKindName]: z.infer<Kinds[Kind]['schema']> }[ExtractorKindName];

/** The schemas of all kinds; there is at least one. */
const schemas = Object.values(extractorKinds).map(({ schema }) => schema) as [
  Kinds[ExtractorKindName]['schema'],
  ...Kinds[ExtractorKindName]['schema'][],
];
export const ExtractorSchema = z.discriminatedUnion('kind', schemas);

/** The functions of an extractor's kind. They are given that very extractor, so what its schema says of it holds. */
export const kindOf = (extractor: Extractor): ExtractorKind => extractorKinds[extractor.kind];
