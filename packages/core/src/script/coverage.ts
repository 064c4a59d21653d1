import { looksLikeId } from '../take/messages.js';
import { requestSteps, type RequestStep, type Script } from './script.schema.js';
import { boundPlaces, sentValues } from './request-parts.js';
import type { SentValue } from './sent-values.js';

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
  const unsure = new Set(script.unsure.map((one) => `${one.step} ${one.place}`));
  return requestSteps(script).flatMap(({ step }) => stepCoverage(step, unsure));
}

function stepCoverage(step: RequestStep, unsure: Set<string>): ClassifiedValue[] {
  const bound = boundPlaces(step);
  return sentValues(step)
    .filter((value) => bound.has(value.place) || isCounted(value))
    .map((value) => {
      const kind = bound.get(value.place);
      const own: SentClass =
        kind === 'handoff'
          ? 'handed-off'
          : kind === 'data' || kind === 'variable'
            ? 'data'
            : kind === 'made'
              ? 'client-made'
              : unsure.has(`${step.id} ${value.place}`)
                ? 'unsure'
                : 'fixed';
      return { ...value, step: step.id, class: own };
    });
}
