import { filesOf, type Script } from '@sturdy/core';
import type { Store } from '../store/store-client.js';

/** Bodies that scripts send as they are. */
export async function bodyFiles(store: Pick<Store, 'body'>, scripts: readonly Script[]): Promise<Map<string, Uint8Array>> {
  const files = new Map<string, Uint8Array>();
  for (const hash of new Set(scripts.flatMap((script) => [...filesOf(script)]))) {
    const body = await store.body(hash);
    if (body) files.set(hash, body.bytes);
  }
  return files;
}
