import { failureReason, type FailureReason } from '../failure/failure-reason.js';
import type { Fill } from '../extractors/extract.js';
import type { Template } from '../values/template.schema.js';
import type { Answer } from './askers/check-asker.js';
import { askerOf } from './check-askers.js';
import { checkKindOf, type Check, type Checked, type Condition } from './check.schema.js';
import { compares } from './compares.js';

/** True where a condition holds; `fill` gives the text of a template now. */
export const holds = ({ left, is, right }: Condition, fill: Fill): boolean => compares(fill(left), is, fill(right));

/** What a check says in words; `words` gives a template as people read it. */
export const describeCheck = ({ checked }: Pick<Check, 'checked'>, words: (template: Template) => string): string =>
  checkKindOf(checked).words(checked, words);

/** Why a check fails, in a sentence; null where it holds. `fill` gives the text of a template as it is now. */
export const checkFailure = ({ checked }: Pick<Check, 'checked'>, answer: Answer, fill: Fill): string | null =>
  askerOf(checked).failure(checked, answer, fill);

/** What a check that does not hold is called among failures; checks are told apart by their ids. */
export const failureOfCheck = ({ id, checked }: Pick<Check, 'id' | 'checked'>, sentence: string): FailureReason =>
  failureReason(`check-${checked.kind}`, sentence, id);

/** True where a check needs the body of an answer. */
export const readsBody = ({ checked }: Check): boolean => askerOf(checked).readsBody(checked);

/** What is wrong with a check by itself, such as an expression that is not valid; null where it can be used. */
export function checkProblem({ checked }: { checked: Checked }): string | null {
  try {
    return askerOf(checked).problem?.(checked) ?? null;
  } catch (error) {
    return `The expression is not valid: ${error instanceof Error ? error.message : String(error)}`;
  }
}
