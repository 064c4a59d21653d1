import { cutText } from '../cut-text.js';
import { fitsTitle, leadsTo } from '../take/messages.js';
import { rootElement } from '../answers/html.js';
import type { AnswerText, ResponseView } from '../answers/response-view.js';
import { failureReason, type FailureReason } from '../failure/failure-reason.js';
import type { Expectation } from '../actions/http/request.schema.js';
import type { MessageExpectation } from '../actions/message/message.schema.js';

const faultWord = /^(fault|error|exception|problem)s?$/i;

/**
 * What a single answer says of its own failure, whatever its status: first against what is expected of the step, then
 * by common signs (a fault element, a page that only asks to sign in). Null where the answer is good.
 */
export function failureOf(response: ResponseView, expect: Expectation, location: string | undefined): FailureReason | null {
  if (!expect.statuses.includes(response.status)) {
    const text = faultTexts(response)[0] ?? (response.kind === 'html' && response.title ? response.title : '');
    return failureReason(
      'status-unexpected',
      `It answered ${response.status} instead of ${expect.statuses.join(' or ')}${text ? `: “${cutText(text, 140)}”` : ''}.`,
      String(response.status),
    );
  }
  // Only an answer that failed is read for what it says.
  const because = (): string => {
    const said = faultTexts(response).join(' ');
    return said === '' ? '' : `: “${cutText(said, 140)}”`;
  };
  if (expect.redirect !== null && location === undefined)
    return failureReason(
      'redirect-missing',
      `It answered at once where the take was led on to ${expect.redirect}${because() || (response.title !== '' ? `: the page “${cutText(response.title, 140)}”` : '')}.`,
    );
  if (
    expect.redirect !== null &&
    location !== undefined &&
    ![expect.redirect, ...(expect.otherRedirects ?? [])].some((shape) => leadsTo(shape, location))
  )
    return failureReason('redirect-unexpected', `It redirects to ${cutText(location, 80)} where the take went to ${expect.redirect}.`);
  if (response.declaredKind !== expect.content) {
    const otherContent = contentFailureOf(response, expect);
    if (otherContent) return otherContent;
  }
  if (expect.rootElement !== null) {
    const root = rootElement(response.body);
    if (root !== undefined && root !== expect.rootElement) {
      return failureReason(
        'root-element-unexpected',
        `It answered <${root}> instead of <${expect.rootElement}>${because()}.`,
        cutText(root, 80),
      );
    }
  }
  if (expect.title !== null && response.body !== '' && !fitsTitle(expect.title, response.title))
    return failureReason(
      'title-unexpected',
      `The page says “${cutText(response.title, 140)}” where the take had “${expect.title}”${because()}.`,
    );
  return null;
}

/** What is wrong with the kind of content of an answer; null where it is as expected. */
export function contentFailureOf(answer: AnswerText, { content }: MessageExpectation): FailureReason | null {
  if (content === null || answer.kind === content) return null;
  const page = answer.kind === 'html' && answer.title !== '' ? `: the page “${cutText(answer.title, 140)}”` : '';
  return failureReason('content-unexpected', `It answered with ${answer.kind} where the take had ${content}${page}.`, answer.kind);
}

/** Texts of the answer that name a fault: alerts of a page, fault elements of XML, error members of JSON. */
export function faultTexts(response: AnswerText): string[] {
  if (response.kind === 'html') return response.html.alerts;
  if (response.kind === 'xml') {
    const root = rootElement(response.body);
    const body = root !== undefined && (faultWord.test(root) || /<(?:[\w-]+:)?Fault[\s>]/.test(response.body)) ? response.body : '';
    return [...body.matchAll(/>([^<>]+)</g)].map((match) => (match[1] ?? '').trim()).filter(Boolean);
  }
  if (response.kind === 'json' && response.json !== null && typeof response.json === 'object')
    return Object.entries(response.json)
      .filter(
        ([key, value]) =>
          faultWord.test(key) && value !== null && value !== false && value !== '' && !(Array.isArray(value) && value.length === 0),
      )
      .map(([, value]) => (typeof value === 'string' ? value : JSON.stringify(value)));
  return [];
}

/** A page that asks to sign in has few fields; common practice, no source. */
const mostSignInFields = 8;

const isHiddenOrButton = /^(hidden|submit|button|image|reset|checkbox|radio)$/;

/** True where the page asks for one password and little else: a page that sets one asks for it twice, and a form of work has more fields. */
export function asksToSignIn(response: AnswerText): boolean {
  if (response.kind !== 'html') return false;
  const typeOf = (element: (typeof response.html.elements)[number]): string => element.attributes['type']?.toLowerCase() ?? '';
  const fields = response.html.elements.filter(
    (element) => /^(input|textarea|select)$/.test(element.name) && !isHiddenOrButton.test(typeOf(element)),
  );
  return fields.filter((field) => typeOf(field) === 'password').length === 1 && fields.length <= mostSignInFields;
}
