import * as z from 'zod';
import { cutText } from '../../cut-text.js';
import type { Extractor } from '../../extractors/extractor.schema.js';
import type { Template } from '../../values/template.schema.js';

/** Gives the template that stands for another one. */
export type ChangeTemplate = (template: Template) => Template;

/** What a check can look at. How it is asked is in its `CheckAsker`, apart: pages that only show it need not load parsers. */
export interface CheckKind<Schema extends z.ZodObject = z.ZodObject> {
  schema: Schema;
  /** What it looks at, with its templates changed. Functions are methods, so that a table of all kinds can be asked by the kind of a check. */
  change(checked: z.infer<Schema>, change: ChangeTemplate): z.infer<Schema>;
  /** What it says in words; `words` gives a template as people read it. */
  words(checked: z.infer<Schema>, words: (template: Template) => string): string;
}

/** Ties the functions of a kind to its schema. */
export const checkKind = <Schema extends z.ZodObject>(kind: CheckKind<Schema>): CheckKind<Schema> => kind;

/** An extractor with the text that stands beside its matches changed. */
export const changeExtractor = <E extends Extractor>(extractor: E, change: ChangeTemplate): E =>
  extractor.beside ? { ...extractor, beside: change(extractor.beside) } : extractor;

/** A text as it is quoted in sentences. */
export const quoted = (text: string): string => `“${cutText(text, 120)}”`;

/** A number between two limits; null is no limit. */
export const limitFields = { atLeast: z.number().int().nonnegative(), atMost: z.number().int().nonnegative().nullable() };
export interface Limits {
  atLeast: number;
  atMost: number | null;
}

/** Limits in words: `at least 2`, `exactly 1`, `2 to 5`. */
export const limitWords = ({ atLeast, atMost }: Limits): string =>
  atMost === null ? `at least ${atLeast}` : atLeast === atMost ? `exactly ${atLeast}` : `${atLeast} to ${atMost}`;

/** True where a number is between two limits. */
export const isWithin = (value: number, { atLeast, atMost }: Limits): boolean => value >= atLeast && (atMost === null || value <= atMost);

/** What is wrong with limits; null where they can be used. */
export const limitProblem = ({ atLeast, atMost }: Limits): string | null =>
  atMost !== null && atMost < atLeast ? 'The most is less than the least.' : null;
