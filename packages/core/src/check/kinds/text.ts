import * as z from 'zod';
import { TemplateSchema } from '../../values/template.schema.js';
import { checkKind, quoted } from './check-kind.js';

/** A text that stands in the body, or does not; entities of a page are read as what they mean. */
export const text = checkKind({
  schema: z.object({ kind: z.literal('text'), text: TemplateSchema, present: z.boolean() }),
  change: (checked, change) => ({ ...checked, text: change(checked.text) }),
  words: (checked, words) => `${checked.present ? 'holds' : 'does not hold'} ${quoted(words(checked.text))}`,
});
