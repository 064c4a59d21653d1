import { checkKindOf, type Check, type Checked, type Condition } from './check.schema.js';
import type { ChangeTemplate } from './kinds/check-kind.js';

/** A condition with its templates changed. */
export const changeCondition = (condition: Condition, change: ChangeTemplate): Condition => ({
  ...condition,
  left: change(condition.left),
  right: change(condition.right),
});

/** What a check looks at, with its templates changed. */
export const changeChecked = (checked: Checked, change: ChangeTemplate): Checked => checkKindOf(checked).change(checked, change) as Checked;

/** What each template of some checks is, in words, in the order in which `changeCheck` meets them. */
export const checkWords = (checks: readonly Check[] | undefined): string[] =>
  (checks ?? []).flatMap(({ checked }, at) => checkedWords(checked, `check ${at + 1}`));

/** What each template of what is asked of an answer is, in words: `word`, once or twice. */
export const checkedWords = (checked: Checked, word: string): string[] =>
  'extractor' in checked && checked.extractor.beside ? [word, word] : [word];

/** A check with its templates changed. */
export const changeCheck = (check: Check, change: ChangeTemplate): Check => ({ ...check, checked: changeChecked(check.checked, change) });
