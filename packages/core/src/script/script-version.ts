import * as z from 'zod';
import { allSteps, type Script, type Step } from './script.schema.js';

/** A state of a script: when it was saved, by whom, and what was changed in it. */
export const ScriptVersionSchema = z.object({
  number: z.number().int().positive(),
  at: z.string(),
  by: z.string(),
  what: z.string(),
});
export type ScriptVersion = z.infer<typeof ScriptVersionSchema>;

const counted = (count: number, one: string, several = `${one}s`): string => `${count} ${count === 1 ? one : several}`;

/** A step without what it holds, so that a change inside a container is told once. */
const own = (step: Step): string => JSON.stringify('steps' in step ? { ...step, steps: [] } : step);

/** What differs between two states of a script, in a few words; empty where nothing does. */
export function sayScriptChange(before: Script, after: Script): string {
  const flat = (script: Script) =>
    new Map(script.transactions.flatMap((one) => allSteps(one.steps).map((step) => [step.id, step] as const)));
  const [left, right] = [flat(before), flat(after)];
  const added = [...right.keys()].filter((id) => !left.has(id)).length;
  const removed = [...left.keys()].filter((id) => !right.has(id)).length;
  const changed = [...left].filter(([id, step]) => {
    const now = right.get(id);
    return now && own(step) !== own(now);
  }).length;
  const order = (script: Script, known: ReadonlyMap<string, Step>) =>
    script.transactions.map((one) => allSteps(one.steps).flatMap((step) => (known.has(step.id) ? [step.id] : []))).join(' | ');
  const parts = [
    ...(before.name === after.name ? [] : [`called ${after.name}`]),
    ...(added > 0 ? [`${counted(added, 'step')} added`] : []),
    ...(removed > 0 ? [`${counted(removed, 'step')} removed`] : []),
    ...(changed > 0 ? [`${counted(changed, 'step')} changed`] : []),
    ...(order(before, right) === order(after, left) ? [] : ['steps moved']),
    ...difference(before.handoffs, after.handoffs, 'handoff'),
    ...difference(before.made, after.made, 'client-made value'),
    ...(JSON.stringify(frames(before)) === JSON.stringify(frames(after)) ? [] : ['transactions changed']),
  ];
  return parts.join(', ');
}

const frames = (script: Script) => script.transactions.map(({ steps: _steps, ...one }) => one);

function difference(before: readonly { id: string }[], after: readonly { id: string }[], name: string): string[] {
  const [left, right] = [new Map(before.map((one) => [one.id, one])), new Map(after.map((one) => [one.id, one]))];
  const added = after.filter((one) => !left.has(one.id)).length;
  const removed = before.filter((one) => !right.has(one.id)).length;
  const changed = before.filter((one) => right.has(one.id) && JSON.stringify(one) !== JSON.stringify(right.get(one.id))).length;
  return [
    ...(added > 0 ? [`${counted(added, name)} added`] : []),
    ...(removed > 0 ? [`${counted(removed, name)} removed`] : []),
    ...(changed > 0 ? [`${counted(changed, name)} changed`] : []),
  ];
}
