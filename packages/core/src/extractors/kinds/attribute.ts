import * as z from 'zod';
import { extractorKind, nth, pick, refining } from './extractor-kind.js';

/** An attribute of an element of a page. */
export const attribute = extractorKind({
  schema: z.object({
    kind: z.literal('attribute'),
    element: z.string(),
    /** Attribute and value that pick the element, such as `id` and `record`; null picks by position. */
    by: z.object({ name: z.string(), value: z.string() }).nullable().default(null),
    attribute: z.string(),
    nth,
    /** Replaces `nth` where any match, or the last, is wanted. */
    pick: pick.optional(),
    ...refining,
  }),
  reads: 'body',
  receivedIn: 'attribute',
  words: ({ element, by, attribute: read }) => `the attribute ${read} of <${element}${by ? ` ${by.name}="${by.value}"` : ''}>`,
});
