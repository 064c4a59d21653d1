import type { HtmlElement } from '../../answers/html.js';
import type { AnswerText } from '../../answers/response-view.js';
import type { Found } from '../../answers/text-matches.js';

/** The elements of a page in whose row a text stands; all of them where none is asked for. */
export const elementsBeside = (answer: AnswerText, beside: string | undefined): HtmlElement[] =>
  beside === undefined
    ? answer.html.elements
    : answer.html.elements.filter((element) => (answer.html.rows[element.row] ?? '').includes(beside));

/** The value of an attribute, where the element has it. */
export function attributeOf(element: HtmlElement, name: string): Found[] {
  const text = element.attributes[name];
  return text === undefined ? [] : [{ text, start: element.start, end: element.end }];
}
