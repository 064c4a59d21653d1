import * as z from 'zod';
import { EncodingSchema, TemplateSchema } from '../values/template.schema.js';

/**
 * What every extractor may add: `unwrap` takes a wrapping off the found text as a whole (`target` leaves path and query of an address),
 * `within` cuts it between two boundaries (an empty right one takes the rest), `decode` takes a wrapping off what was cut, `beside` keeps only matches whose row, list item or object also holds this text.
 */
const refining = {
  unwrap: z.union([EncodingSchema, z.literal('target')]).optional(),
  within: z.object({ left: z.string(), right: z.string() }).optional(),
  decode: z.array(EncodingSchema).optional(),
  beside: TemplateSchema.optional(),
};
const nth = z.number().int().nonnegative();
/** Which of several matches: the first, the last, any one. */
const pick = z.enum(['first', 'last', 'any']);

/** How to read a value from a response. */
export const ExtractorSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('header'), name: z.string(), ...refining }),
  z.object({ kind: z.literal('cookie'), name: z.string(), ...refining }),
  z.object({ kind: z.literal('field'), name: z.string(), nth, ...refining }),
  z.object({
    kind: z.literal('attribute'),
    element: z.string(),
    /** Attribute and value that pick the element, such as `id` and `record`; null picks by position. */
    by: z.object({ name: z.string(), value: z.string() }).nullable(),
    attribute: z.string(),
    nth,
    /** Replaces `nth` where any match, or the last, is wanted. */
    pick: pick.optional(),
    ...refining,
  }),
  z.object({ kind: z.literal('jsonpath'), path: z.string(), pick, ...refining }),
  z.object({ kind: z.literal('xml'), path: z.string(), nth, ...refining }),
  /** XPath over an XML answer; prefixes are those of the document. */
  z.object({ kind: z.literal('xpath'), expression: z.string(), pick, ...refining }),
  z.object({ kind: z.literal('between'), left: z.string(), right: z.string(), nth, pick: pick.optional(), ...refining }),
  /** The first group of the expression, or the whole match; ECMAScript syntax, searched in the body. */
  z.object({ kind: z.literal('regex'), pattern: z.string(), nth, pick: pick.optional(), ...refining }),
]);
export type Extractor = z.infer<typeof ExtractorSchema>;
