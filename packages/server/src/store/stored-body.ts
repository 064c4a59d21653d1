import { createHash } from 'node:crypto';
import type { BodyRef } from '@sturdy/core';

/** A body as the store takes it: under the SHA-256 of its bytes. */
export interface StoredBody {
  hash: string;
  bytes: Uint8Array;
  mimeType: string;
}

/** A body to be stored, and the reference that an exchange keeps of it. */
export function storedBody(bytes: Uint8Array, mimeType: string): { stored: StoredBody; ref: BodyRef } {
  const hash = createHash('sha256').update(bytes).digest('hex');
  return { stored: { hash, bytes, mimeType }, ref: { hash, size: bytes.length, mimeType } };
}
