import * as z from 'zod';
import type { AnswerText } from '../../answers/response-view.js';
import type { Found } from '../../answers/text-matches.js';
import { EncodingSchema, TemplateSchema } from '../../values/template.schema.js';

/**
 * What every extractor may add: `unwrap` takes a wrapping off the found text as a whole (`target` leaves path and query of an address),
 * `within` cuts it between two boundaries (an empty right one takes the rest), `decode` takes a wrapping off what was cut, `beside` keeps only matches whose row, list item or object also holds this text.
 */
export const refining = {
  unwrap: z.union([EncodingSchema, z.literal('target')]).optional(),
  within: z.object({ left: z.string(), right: z.string() }).optional(),
  decode: z.array(EncodingSchema).optional(),
  beside: TemplateSchema.optional(),
};

/** Which of several matches, by its number from 0. */
export const nth = z.number().int().nonnegative().default(0);

/** Which of several matches: the first, the last, any one. */
export const pick = z.enum(['first', 'last', 'any']);

/** Something that was found and has no place in the body, or whose place is looked up only where it is to be shown. */
export const withoutPlace = (text: string): Found => ({ text, start: 0, end: 0 });

/** Where a pattern of handoffs says that a value is received. */
export type ReceivedPlace = 'header' | 'cookie' | 'field' | 'attribute' | 'json' | 'xml' | 'text';

/** What a way to read a value is. What it does is in its `ExtractorReader`, apart: pages that only show it need not load parsers. */
export interface ExtractorKind<Schema extends z.ZodObject = z.ZodObject> {
  schema: Schema;
  reads: 'headers' | 'body';
  /** What patterns of handoffs call the place where it reads. */
  receivedIn: ReceivedPlace;
  /** What it reads, in words. A method, so that a table of all kinds can be asked by the kind of an extractor. */
  words(extractor: z.infer<Schema>): string;
}

/** How a value is read. Its functions are methods, so that a table of all kinds can be asked by the kind of an extractor. */
export interface ExtractorReader<Kind extends ExtractorKind = ExtractorKind> {
  /** All that it finds in an answer, in reading order; `beside` as in `refining`. Throws where its expression is not valid. */
  find(extractor: z.infer<Kind['schema']>, answer: AnswerText, beside: string | undefined): Found[];
  /** Where each of what `find` gives stands, where it does not know; costly, so it is asked only for what is shown. */
  spans?(extractor: z.infer<Kind['schema']>, answer: AnswerText, beside: string | undefined): { start: number; end: number }[];
  /** Throws where its expression is not valid, whatever it is tried on. */
  check?(extractor: z.infer<Kind['schema']>): void;
}

/** Ties the words of a kind to its schema. */
export const extractorKind = <Schema extends z.ZodObject>(kind: ExtractorKind<Schema>): ExtractorKind<Schema> => kind;
