import * as z from 'zod';
import { describeExtractor } from '../../extractors/describe-extractor.js';
import { ExtractorSchema } from '../../extractors/extractor.schema.js';
import { changeExtractor, checkKind, limitFields, limitWords } from './check-kind.js';

/** How many matches an extractor has. */
export const count = checkKind({
  schema: z.object({ kind: z.literal('count'), extractor: ExtractorSchema, ...limitFields }),
  change: (checked, change) => ({ ...checked, extractor: changeExtractor(checked.extractor, change) }),
  words: (checked) => `${limitWords(checked)} of ${describeExtractor(checked.extractor)}`,
});
