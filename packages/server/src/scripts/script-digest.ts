import { createHash } from 'node:crypto';
import type { Script } from '@sturdy/core';

/** Tells scripts apart by what they do; a new name is the same script. */
export const scriptDigest = ({ transactions, handoffs, made }: Script): string =>
  createHash('sha256')
    .update(JSON.stringify([transactions, handoffs, made]))
    .digest('hex');
