import type { Script } from '@sturdy/core';
import type { Store } from '../store/store-client.js';

/** Scripts of a project by their ids, and how long exchanges took when they were recorded, in ms. */
export interface PlannedScripts {
  scripts: Map<string, Script>;
  requestMs: (script: Script, exchange: number) => number;
}

/** All scripts of a project; how long exchanges took is known of those that are asked for. */
export async function plannedScripts(
  store: Pick<Store, 'scripts' | 'exchanges'>,
  projectId: string,
  timed: ReadonlySet<string>,
): Promise<PlannedScripts> {
  const scripts = new Map((await store.scripts(projectId)).map((script) => [script.id, script]));
  const durations = new Map<string, Map<number, number>>();
  for (const id of timed) {
    const script = scripts.get(id);
    if (script) durations.set(id, new Map((await store.exchanges(script.takeId)).map(({ n, durationMs }) => [n, durationMs])));
  }
  return { scripts, requestMs: (script, exchange) => durations.get(script.id)?.get(exchange) ?? 0 };
}
