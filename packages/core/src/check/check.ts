import { compileExpression } from '../values/expression.js';
import { cutText } from '../cut-text.js';
import { failureReason, type FailureReason } from '../failure/failure-reason.js';
import type { Check, Checked, Comparison, Condition } from './check.schema.js';
import { describeExtractor } from '../extractors/describe-extractor.js';
import { allMatches, checkExtractor, matchesOf, readsFromBody, readValue, type Fill } from '../extractors/extract.js';
import { ResponseView, type AnswerText } from '../answers/response-view.js';
import type { Template } from '../values/template.schema.js';
import { isStill, recordedText } from '../values/template.js';

/** What a check is held against: an answer, and what else is known of it. */
export interface Answer {
  view: AnswerText;
  /** Where it redirects to; undefined where it does not. */
  location: string | undefined;
  /** Bytes of the body as it was decoded. */
  bytes: number;
  durationMs: number;
}

/** A number as answers show it, with or without commas between thousands; NaN for anything else. */
const asNumber = (text: string): number => {
  const trimmed = text.trim();
  if (trimmed === '') return Number.NaN;
  return Number(/^-?\d{1,3}(,\d{3})+(\.\d+)?$/.test(trimmed) ? trimmed.replace(/,/g, '') : trimmed);
};

/** True where the comparison holds. Throws where an expression is not valid. */
export function compares(left: string, is: Comparison, right: string): boolean {
  switch (is) {
    case 'equals':
      return left === right;
    case 'differs':
      return left !== right;
    case 'contains':
      return left.includes(right);
    case 'lacks':
      return !left.includes(right);
    case 'matches':
      return compileExpression(right).matcher(left).find();
    case 'less':
      return asNumber(left) < asNumber(right);
    case 'more':
      return asNumber(left) > asNumber(right);
    case 'empty':
      return left === '';
    case 'filled':
      return left !== '';
  }
}

const comparisonWords: Record<Comparison, string> = {
  equals: 'is',
  differs: 'is not',
  contains: 'contains',
  lacks: 'does not contain',
  matches: 'matches',
  less: 'is less than',
  more: 'is more than',
  empty: 'is empty',
  filled: 'is not empty',
};
/** A comparison in words. */
export const comparisonText = (is: Comparison): string => comparisonWords[is];
/** True where the comparison is with something. */
export const hasRightSide = (is: Comparison): boolean => is !== 'empty' && is !== 'filled';

/** True where a condition holds; `fill` gives the text of a template now. */
export const holds = ({ left, is, right }: Condition, fill: Fill): boolean => compares(fill(left), is, fill(right));

const shown = (text: string): string => `“${cutText(text, 120)}”`;

/** What a check says in words; `words` gives a template as people read it. */
export function describeCheck({ checked }: Pick<Check, 'checked'>, words: (template: Template) => string): string {
  switch (checked.kind) {
    case 'text':
      return `${checked.present ? 'holds' : 'does not hold'} ${shown(words(checked.text))}`;
    case 'value':
      return `${describeExtractor(checked.extractor)} ${comparisonWords[checked.is]}${hasRightSide(checked.is) ? ` ${shown(words(checked.than))}` : ''}`;
    case 'count':
      return `${between(checked.atLeast, checked.atMost)} of ${describeExtractor(checked.extractor)}`;
    case 'status':
      return `status ${checked.statuses.join(' or ')}`;
    case 'redirect':
      return `redirects to ${shown(words(checked.to))}`;
    case 'size':
      return `${between(checked.atLeast, checked.atMost)} bytes`;
    case 'time':
      return `answers within ${checked.atMostMs} ms`;
  }
}

const between = (atLeast: number, atMost: number | null): string =>
  atMost === null ? `at least ${atLeast}` : atLeast === atMost ? `exactly ${atLeast}` : `${atLeast} to ${atMost}`;

const isIn = (value: number, { atLeast, atMost }: { atLeast: number; atMost: number | null }): boolean =>
  value >= atLeast && (atMost === null || value <= atMost);

/** Why a check fails, in a sentence; null where it holds. `fill` gives the text of a template as it is now. */
export function checkFailure({ checked }: Pick<Check, 'checked'>, answer: Answer, fill: Fill): string | null {
  const { view } = answer;
  switch (checked.kind) {
    case 'text': {
      const text = fill(checked.text);
      if (holdsText(view, text) === checked.present) return null;
      return checked.present ? `The answer does not hold ${shown(text)}.` : `The answer holds ${shown(text)}.`;
    }
    case 'value': {
      const found = readValue(checked.extractor, view, () => 0, fill) ?? '';
      const than = fill(checked.than);
      // One of several is enough where any is meant.
      const all = 'pick' in checked.extractor && checked.extractor.pick === 'any' ? matchesOf(checked.extractor, view, fill) : [found];
      if (all.some((one) => compares(one, checked.is, than))) return null;
      return `${capital(describeExtractor(checked.extractor))} is ${found === '' ? 'empty' : shown(found)}, where it should be: ${comparisonWords[checked.is]}${hasRightSide(checked.is) ? ` ${shown(than)}` : ''}.`;
    }
    case 'count': {
      const count = allMatches(checked.extractor, view, fill).length;
      return isIn(count, checked)
        ? null
        : `There are ${count} of ${describeExtractor(checked.extractor)}, where ${between(checked.atLeast, checked.atMost)} are wanted.`;
    }
    case 'status':
      if (!(view instanceof ResponseView)) return 'The answer has no status.';
      return checked.statuses.includes(view.status) ? null : `It answered ${view.status} instead of ${checked.statuses.join(' or ')}.`;
    case 'redirect': {
      const to = fill(checked.to);
      if (answer.location?.includes(to)) return null;
      return answer.location === undefined
        ? `It does not redirect, where it should lead to ${shown(to)}.`
        : `It redirects to ${shown(answer.location)}, where it should lead to ${shown(to)}.`;
    }
    case 'size':
      return isIn(answer.bytes, checked)
        ? null
        : `The answer has ${answer.bytes} bytes, where ${between(checked.atLeast, checked.atMost)} are wanted.`;
    case 'time':
      return answer.durationMs <= checked.atMostMs
        ? null
        : `It answered in ${Math.round(answer.durationMs)} ms, where at most ${checked.atMostMs} ms are wanted.`;
  }
}

const capital = (text: string): string => text.slice(0, 1).toUpperCase() + text.slice(1);

/** What a check that does not hold is called among failures; checks are told apart by their ids. */
export const failureOfCheck = ({ id, checked }: Pick<Check, 'id' | 'checked'>, sentence: string): FailureReason =>
  failureReason(`check-${checked.kind}`, sentence, id);

/** True where a body holds a text: as it stands there, or, in a page, among what people read. */
export function holdsText(view: AnswerText, text: string): boolean {
  if (view.body.includes(text)) return true;
  if (view.kind !== 'html') return false;
  const squeezed = text.replace(/\s+/g, ' ').trim();
  return squeezed !== '' && [view.html.title, view.html.texts.join(' ')].some((one) => one.replace(/\s+/g, ' ').includes(squeezed));
}

/** True where a check needs the body of an answer. */
export const readsBody = ({ checked }: Check): boolean =>
  checked.kind === 'text' ||
  checked.kind === 'size' ||
  ((checked.kind === 'value' || checked.kind === 'count') && readsFromBody(checked.extractor));

/** What is wrong with a check by itself, such as an expression that is not valid; null where it can be used. */
export function checkProblem({ checked }: { checked: Checked }): string | null {
  try {
    if (checked.kind === 'value' || checked.kind === 'count') checkExtractor(checked.extractor);
    if (checked.kind === 'value' && checked.is === 'matches' && isStill(checked.than)) compileExpression(recordedText(checked.than));
  } catch (error) {
    return `The expression is not valid: ${error instanceof Error ? error.message : String(error)}`;
  }
  if (checked.kind === 'text' && checked.text.length === 0) return 'Write the text that the answer is to hold.';
  if (checked.kind === 'redirect' && checked.to.length === 0) return 'Write a text of the address that it is to lead to.';
  if ((checked.kind === 'count' || checked.kind === 'size') && checked.atMost !== null && checked.atMost < checked.atLeast)
    return 'The most is less than the least.';
  return null;
}
