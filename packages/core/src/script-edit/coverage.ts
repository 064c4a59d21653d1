import { looksLikeId } from '../take/messages.js';
import { actionKindOf } from '../actions/action-kinds.js';
import type { BoundValue } from '../actions/action-kind.js';
import type { ActionStep } from '../actions/action-step.schema.js';
import { actionSteps, type Script } from '../script/script.schema.js';
import type { SentValue } from '../actions/sent-values.js';

/** What becomes of a value that a script sends. */
export type SentClass = 'handed-off' | 'data' | 'client-made' | 'fixed' | 'unsure';

export interface ClassifiedValue extends SentValue {
  step: string;
  class: SentClass;
}

/** True where a value is worth counting: not a name in a path, not empty. */
export function isCounted(value: SentValue): boolean {
  if (value.value === '') return false;
  return value.place.startsWith('path:') ? looksLikeId(value.value) : true;
}

/** Every value that a script sends, and what becomes of it on replay. */
export function coverage(script: Script): ClassifiedValue[] {
  const unsure = unsurePlaces(script);
  return actionSteps(script).flatMap(({ step }) => coverageOf(step, unsure));
}

/** The values of one step, and what becomes of them on replay. */
export const stepCoverage = (script: Script, step: ActionStep): ClassifiedValue[] => coverageOf(step, unsurePlaces(script));

const unsurePlaces = (script: Script): Set<string> => new Set(script.unsure.map((value) => `${value.step} ${value.place}`));

// A step is never changed in place, so what it sends stays true; after each edit the whole script is counted again.
const known = new WeakMap<ActionStep, ClassifiedValue[]>();

function coverageOf(step: ActionStep, unsure: ReadonlySet<string>): ClassifiedValue[] {
  const values = known.get(step) ?? classified(step);
  known.set(step, values);
  return unsure.size === 0
    ? values
    : values.map((value) => (value.class === 'fixed' && unsure.has(`${step.id} ${value.place}`) ? { ...value, class: 'unsure' } : value));
}

function classified(step: ActionStep): ClassifiedValue[] {
  return actionKindOf(step)
    .values(step)
    .filter(({ piece, ...value }) => piece !== undefined || isCounted(value))
    .map(({ piece, ...value }) => ({ ...value, step: step.id, class: piece === undefined ? 'fixed' : classes[piece] }));
}

const classes: Record<NonNullable<BoundValue['piece']>, SentClass> = {
  handoff: 'handed-off',
  data: 'data',
  variable: 'data',
  made: 'client-made',
};
