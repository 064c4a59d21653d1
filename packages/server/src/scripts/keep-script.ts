import { applyPart, ownParts, partIn, samePart, type Part, type Script } from '@sturdy/core';
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
    changedToo.push(...(await keepPart(store, part, { by, what: `The part “${part.name}” was changed in “${script.name}”` }, script.id)));
  }
  return { script, changedToo: [...new Set(changedToo)] };
}

/** Saves a part, and brings every script up to date that has it, but for the one in which it was changed. Resolves with their names. */
export async function keepPart(store: Store, part: Part, { by, what }: Required<ScriptChange>, changedIn?: string): Promise<string[]> {
  await store.savePart(part);
  const at = new Date().toISOString();
  const changed: string[] = [];
  for (const script of await store.scripts(part.projectId)) {
    if (script.id === changedIn || !script.transactions.some((transaction) => transaction.part === part.id)) continue;
    await store.saveScript(applyPart(script, part).script, by, at, what);
    changed.push(script.name);
  }
  return changed;
}
