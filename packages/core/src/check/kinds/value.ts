import * as z from 'zod';
import { describeExtractor } from '../../extractors/describe-extractor.js';
import { ExtractorSchema } from '../../extractors/extractor.schema.js';
import { TemplateSchema } from '../../values/template.schema.js';
import { ComparisonSchema, comparisonText, hasRightSide } from '../comparison.js';
import { changeExtractor, checkKind, quoted } from './check-kind.js';

/** What an extractor reads, compared with a text. */
export const value = checkKind({
  schema: z.object({ kind: z.literal('value'), extractor: ExtractorSchema, is: ComparisonSchema, than: TemplateSchema }),
  change: (checked, change) => ({ ...checked, extractor: changeExtractor(checked.extractor, change), than: change(checked.than) }),
  words: ({ extractor, is, than }, words) =>
    `${describeExtractor(extractor)} ${comparisonText(is)}${hasRightSide(is) ? ` ${quoted(words(than))}` : ''}`,
});
