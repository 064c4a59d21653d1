import * as z from 'zod';
import { checkKind } from './check-kind.js';

/** The status of a response (RFC 9110, 15). */
export const status = checkKind({
  schema: z.object({ kind: z.literal('status'), statuses: z.array(z.number().int().min(100).max(599)).min(1) }),
  change: (checked) => checked,
  words: ({ statuses }) => `status ${statuses.join(' or ')}`,
});
