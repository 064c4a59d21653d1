import { counted, sayListChange } from '../versions/version.js';
import { allSteps, type Step } from './step.schema.js';
import type { Script } from './script.schema.js';

/** A step without what it holds, so that a change inside a container is told once. */
const textOf = (step: Step): string => JSON.stringify('steps' in step ? { ...step, steps: [] } : step);

/** What differs between two states of a script, in a few words; empty where nothing does. */
export function sayScriptChange(before: Script, after: Script): string {
  const flat = (script: Script) =>
    new Map(script.transactions.flatMap((transaction) => allSteps(transaction.steps).map((step) => [step.id, step] as const)));
  const [left, right] = [flat(before), flat(after)];
  const added = [...right.keys()].filter((id) => !left.has(id)).length;
  const removed = [...left.keys()].filter((id) => !right.has(id)).length;
  const changed = [...left].filter(([id, step]) => {
    const now = right.get(id);
    return now && textOf(step) !== textOf(now);
  }).length;
  const order = (script: Script, known: ReadonlyMap<string, Step>) =>
    script.transactions
      .map((transaction) => allSteps(transaction.steps).flatMap((step) => (known.has(step.id) ? [step.id] : [])))
      .join(' | ');
  const parts = [
    ...(before.name === after.name ? [] : [`called ${after.name}`]),
    ...(added > 0 ? [`${counted(added, 'step')} added`] : []),
    ...(removed > 0 ? [`${counted(removed, 'step')} removed`] : []),
    ...(changed > 0 ? [`${counted(changed, 'step')} changed`] : []),
    ...(order(before, right) === order(after, left) ? [] : ['steps moved']),
    ...sayListChange(before.handoffs, after.handoffs, 'handoff'),
    ...sayListChange(before.made, after.made, 'client-made value'),
    ...(JSON.stringify(frames(before)) === JSON.stringify(frames(after)) ? [] : ['transactions changed']),
  ];
  return parts.join(', ');
}

const frames = (script: Script) => script.transactions.map(({ steps: _steps, ...rest }) => rest);
