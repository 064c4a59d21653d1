import * as z from 'zod';

/** A state of a script or a workload: when it was saved, by whom, and what was changed in it. */
export const VersionSchema = z.object({
  number: z.number().int().positive(),
  at: z.string(),
  by: z.string(),
  what: z.string(),
});
export type Version = z.infer<typeof VersionSchema>;

/** A number with its noun: “1 step”, “3 steps”. */
export const counted = (count: number, singular: string, several = `${singular}s`): string =>
  `${count} ${count === 1 ? singular : several}`;

/** How many of a list were added, removed and changed between two states, in words; those are the same that have the same id. */
export function sayListChange(
  before: readonly { id: string }[],
  after: readonly { id: string }[],
  name: string,
  several?: string,
): string[] {
  const [left, right] = [new Map(before.map((item) => [item.id, item])), new Map(after.map((item) => [item.id, item]))];
  const added = after.filter((item) => !left.has(item.id)).length;
  const removed = before.filter((item) => !right.has(item.id)).length;
  const changed = before.filter((item) => right.has(item.id) && JSON.stringify(item) !== JSON.stringify(right.get(item.id))).length;
  return [
    ...(added > 0 ? [`${counted(added, name, several)} added`] : []),
    ...(removed > 0 ? [`${counted(removed, name, several)} removed`] : []),
    ...(changed > 0 ? [`${counted(changed, name, several)} changed`] : []),
  ];
}
