import type { Environment } from '../environment/index.js';
import { scriptTargets, type Script } from '../script/index.js';
import type { Crew } from './workload.schema.js';

/**
 * Why so many users may not play at once where their scripts go, in a sentence; null where they may. A clearance says how many users of one run its
 * target bears, those of all crews together.
 */
export function usersProblem(
  { clearances, map }: Pick<Environment, 'clearances' | 'map'>,
  crews: readonly Pick<Crew, 'scriptId' | 'users'>[],
  scripts: readonly Script[],
): string | null {
  for (const { origin, users, by } of clearances) {
    if (users === null) continue;
    const going = new Set(scripts.filter((script) => scriptTargets(script, { map }).includes(origin)).map(({ id }) => id));
    const wanted = crews.reduce((sum, crew) => sum + (going.has(crew.scriptId) ? crew.users : 0), 0);
    if (wanted > users)
      return `${wanted} users would play at ${origin}, which ${by} cleared for ${users}. Play fewer, or have it cleared for more.`;
  }
  return null;
}
