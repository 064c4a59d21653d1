import type { Script } from '@sturdy/core';
import { notFound } from '../problem/problem.js';
import type { StoredTake } from '../store/repository.js';
import type { Store } from '../store/store-client.js';

/** A script by its id; a problem where there is none. */
export async function needScript(store: Store, id: string): Promise<Script> {
  const script = await store.script(id);
  if (!script) throw notFound('script', id);
  return script;
}

/** A take with all that computing needs; a problem where there is none. */
export async function needTake(store: Store, id: string): Promise<StoredTake> {
  const take = await store.loadTake(id);
  if (!take) throw notFound('take', id);
  return take;
}

/** The take of a script and its second one, null where it has none. */
export const takesOf = async (store: Store, script: Script): Promise<[StoredTake, StoredTake | null]> => [
  await needTake(store, script.takeId),
  script.secondTakeId === null ? null : await store.loadTake(script.secondTakeId),
];
