import type { ProjectFile } from './project-file.schema.js';

/** All ids that a project gives to what is unique everywhere; those of environments are unique in it alone. */
export const listedIds = ({ takes, parts, tables, scripts, rehearsals, workloads, runs }: ProjectFile): string[] =>
  [takes, parts, tables, scripts, rehearsals, workloads, runs].flatMap((listed: readonly { id: string }[]) => listed.map(({ id }) => id));

/** Puts others in the place of ids wherever they stand in a text; each is random enough to be nothing else. */
export function idChanger(ids: ReadonlyMap<string, string>): (text: string) => string {
  if (ids.size === 0) return (text) => text;
  // Ids may begin with one another; the longest is meant.
  const all = [...ids.keys()].sort((left, right) => right.length - left.length);
  const anywhere = new RegExp(`(?<![\\w-])(?:${all.join('|')})(?![\\w-])`, 'g');
  return (text) => text.replace(anywhere, (id) => ids.get(id) ?? id);
}
