import * as z from 'zod';
import { checkKind, limitFields, limitWords } from './check-kind.js';

/** Bytes of the body as it was decoded. */
export const size = checkKind({
  schema: z.object({ kind: z.literal('size'), ...limitFields }),
  change: (checked) => checked,
  words: (checked) => `${limitWords(checked)} bytes`,
});
