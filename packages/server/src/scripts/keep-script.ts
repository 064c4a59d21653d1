import { applyPart, ownParts, partIn, samePart, type Script } from '@sturdy/core';
import type { Store } from '../store/store-client.js';

/** Who changes a script, and what they did where it was more than editing. */
export interface ScriptChange {
  by: string;
  what?: string;
}

/** A script as it was kept, and the names of the other scripts that a changed part has changed too. */
export interface Kept {
  script: Script;
  changedToo: string[];
}

/**
 * Saves a script as a version. A part that was changed in it is changed everywhere: it is kept once, and every other script that has it is
 * brought up to date.
 */
export async function keepScript(store: Store, given: Script, { by, what }: ScriptChange): Promise<Kept> {
  const script = ownParts(given);
  const at = new Date().toISOString();
  await store.saveScript(script, by, at, what);
  const changedToo: string[] = [];
  const used = new Set(script.transactions.flatMap((transaction) => transaction.part ?? []));
  if (used.size === 0) return { script, changedToo };
  const known = new Map((await store.parts(script.projectId)).map((part) => [part.id, part]));
  for (const id of used) {
    const part = partIn(script, id);
    const before = known.get(id);
    if (!part || (before && samePart(before, part))) continue;
    await store.savePart(part);
    for (const otherScript of await store.scripts(script.projectId)) {
      if (otherScript.id === script.id || !otherScript.transactions.some((transaction) => transaction.part === id)) continue;
      await store.saveScript(applyPart(otherScript, part).script, by, at, `The part “${part.name}” was changed in “${script.name}”`);
      changedToo.push(otherScript.name);
    }
  }
  return { script, changedToo: [...new Set(changedToo)] };
}
