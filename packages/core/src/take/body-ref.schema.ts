import * as z from 'zod';

/** Points to a stored body. `hash` is the SHA-256 of its decoded bytes in hex, `size` their number. */
export const BodyRefSchema = z.object({
  hash: z.string(),
  size: z.number().int().nonnegative(),
  mimeType: z.string(),
  /** Bytes of the whole body as it was sent, where only its beginning was kept. */
  wholeSize: z.number().int().nonnegative().optional(),
});
export type BodyRef = z.infer<typeof BodyRefSchema>;
