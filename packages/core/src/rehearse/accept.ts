import { commonShape, commonTitle, leadsTo, pathShape } from '../take/messages.js';
import { rootElement } from '../answers/html.js';
import type { AnswerText, ResponseView } from '../answers/response-view.js';
import type { Harmless } from '../actions/content.schema.js';
import type { Expectation } from '../actions/http/request.schema.js';
import type { MessageExpectation } from '../actions/message/message.schema.js';
import { contentFailureOf, failureOf } from './failure-signs.js';

/** What accepting an answer means: what the step expects from then on, in a sentence too. */
export interface Acceptance<Expected = Expectation> {
  expect: Expected;
  sentence: string;
}

/** Aspects of an answer that are looked at one after another; each accepts what came back in it and says so. */
const aspects: ((expect: Expectation, view: ResponseView, location: string | undefined) => { expect: Expectation; said: string } | null)[] =
  [
    (expect, view) =>
      expect.statuses.includes(view.status)
        ? null
        : { expect: { ...expect, statuses: [...expect.statuses, view.status] }, said: `status ${view.status}` },
    (expect, _view, location) => {
      if (expect.redirect === null) return null;
      if (location === undefined) return { expect: { ...expect, redirect: null }, said: 'an answer without a redirect' };
      const others = expect.otherRedirects ?? [];
      if ([expect.redirect, ...others].some((shape) => leadsTo(shape, location))) return null;
      const redirect = commonShape(expect.redirect, location);
      if (redirect !== null) return { expect: { ...expect, redirect }, said: `a redirect to ${redirect}` };
      const otherShape = pathShape(location);
      return { expect: { ...expect, otherRedirects: [...others, otherShape] }, said: `a redirect to ${otherShape}` };
    },
    (expect, view) =>
      expect.content === null || expect.content === view.kind
        ? null
        : { expect: { ...expect, content: view.kind, rootElement: null, title: null }, said: `${view.kind} instead of ${expect.content}` },
    (expect, view) =>
      expect.rootElement === null || rootElement(view.body) === expect.rootElement
        ? null
        : { expect: { ...expect, rootElement: null }, said: 'a document with another root element' },
    (expect, view) => {
      if (expect.title === null || view.kind !== 'html') return null;
      const title = commonTitle(expect.title, view.html.title);
      return title === expect.title ? null : { expect: { ...expect, title }, said: title === null ? 'any title' : `the title “${title}”` };
    },
  ];

/**
 * What a step would have to expect so that this answer passes; null where it passes already, or where it says of itself that it failed
 * in a way that is no matter of expectation. `location` is where it leads to; `harmless` are further differences that are taken as such.
 */
export function acceptanceOf(
  expect: Expectation,
  view: ResponseView,
  location: string | undefined,
  harmless: Harmless = [],
): Acceptance | null {
  const said: string[] = [];
  let wider = expect;
  for (const aspect of aspects) {
    if (failureOf(view, wider, location) === null) break;
    const next = aspect(wider, view, location);
    if (!next) continue;
    wider = next.expect;
    said.push(next.said);
  }
  return failureOf(view, wider, location) === null ? accepting(wider, said, harmless) : null;
}

/** What a step that waits for a message would have to expect so that this one passes; null where it passes already. */
export function acceptanceOfMessage(
  expect: MessageExpectation,
  view: AnswerText,
  harmless: Harmless = [],
): Acceptance<MessageExpectation> | null {
  return contentFailureOf(view, expect)
    ? accepting({ ...expect, content: view.kind }, [`${view.kind} instead of ${expect.content ?? 'anything'}`], harmless)
    : accepting(expect, [], harmless);
}

/** What is accepted so far, and these differences as harmless; null where that is nothing new. */
function accepting<Expected extends { harmless?: Harmless | undefined }>(
  expect: Expected,
  said: readonly string[],
  harmless: Harmless,
): Acceptance<Expected> | null {
  const more = harmless.filter((difference) => !expect.harmless?.includes(difference));
  const all = [...said, ...more.map((difference) => harmlessNames[difference])];
  if (all.length === 0) return null;
  return {
    expect: more.length === 0 ? expect : { ...expect, harmless: [...(expect.harmless ?? []), ...more] },
    sentence: `From now on this step also accepts ${all.join(' and ')}.`,
  };
}

const harmlessNames: Record<Harmless[number], string> = {
  structure: 'an answer that is built differently',
  alerts: 'an answer that tells of trouble',
  'sign-in': 'a form to sign in',
};
