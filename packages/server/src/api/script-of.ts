import type { Environment, Script } from '@sturdy/core';
import { notFound, Problem } from '../problem.js';
import type { StoredTake } from '../store/repository.js';
import type { Store } from '../store/store-client.js';

/** A script by its id; a problem where there is none. */
export async function needScript(store: Store, id: string): Promise<Script> {
  const script = await store.script(id);
  if (!script) throw notFound('script', id);
  return script;
}

/** The environment that a script is played in; a problem where the project has none. */
export async function environmentOf(store: Store, script: Script): Promise<Environment> {
  const [environment] = await store.environments(script.projectId);
  if (!environment)
    throw new Problem(422, 'No environment', 'The project has no environment, so nothing may be hit. Add one with its allowed targets.');
  return environment;
}

/** A take with all that computing needs; a problem where there is none. */
export async function needTake(store: Store, id: string): Promise<StoredTake> {
  const take = await store.loadTake(id);
  if (!take) throw notFound('take', id);
  return take;
}
