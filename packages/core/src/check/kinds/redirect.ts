import * as z from 'zod';
import { TemplateSchema } from '../../values/template.schema.js';
import { checkKind, quoted } from './check-kind.js';

/** Where a redirect leads to: a text that stands in its address. */
export const redirect = checkKind({
  schema: z.object({ kind: z.literal('redirect'), to: TemplateSchema }),
  change: (checked, change) => ({ ...checked, to: change(checked.to) }),
  words: ({ to }, words) => `redirects to ${quoted(words(to))}`,
});
