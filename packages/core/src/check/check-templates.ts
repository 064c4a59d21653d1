import type { Extractor } from '../extractors/extractor.schema.js';
import type { Template } from '../values/template.schema.js';
import type { Check, Checked, Condition } from './check.schema.js';

/** Gives the template that stands for another one. */
export type ChangeTemplate = (template: Template) => Template;

/** A condition with its templates changed. */
export const changeCondition = (condition: Condition, change: ChangeTemplate): Condition => ({
  ...condition,
  left: change(condition.left),
  right: change(condition.right),
});

/** An extractor with the text that stands beside its matches changed. */
export const changeExtractor = <E extends Extractor>(extractor: E, change: ChangeTemplate): E =>
  extractor.beside ? { ...extractor, beside: change(extractor.beside) } : extractor;

/** What a check looks at, with its templates changed. */
export function changeChecked(checked: Checked, change: ChangeTemplate): Checked {
  switch (checked.kind) {
    case 'text':
      return { ...checked, text: change(checked.text) };
    case 'value':
      return { ...checked, extractor: changeExtractor(checked.extractor, change), than: change(checked.than) };
    case 'count':
      return { ...checked, extractor: changeExtractor(checked.extractor, change) };
    case 'redirect':
      return { ...checked, to: change(checked.to) };
    case 'status':
    case 'size':
    case 'time':
      return checked;
  }
}

/** What each template of some checks is, in words, in the order in which `changeCheck` meets them. */
export const checkWords = (checks: readonly Check[] | undefined): string[] =>
  (checks ?? []).flatMap(({ checked }, at) =>
    'extractor' in checked && checked.extractor.beside ? [`check ${at + 1}`, `check ${at + 1}`] : [`check ${at + 1}`],
  );

/** A check with its templates changed. */
export const changeCheck = (check: Check, change: ChangeTemplate): Check => ({ ...check, checked: changeChecked(check.checked, change) });
