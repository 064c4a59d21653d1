import * as z from 'zod';
import { checkKind } from './check-kind.js';

/** Response time in ms. */
export const time = checkKind({
  schema: z.object({ kind: z.literal('time'), atMostMs: z.number().positive() }),
  change: (checked) => checked,
  words: ({ atMostMs }) => `answers within ${atMostMs} ms`,
});
