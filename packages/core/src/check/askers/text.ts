import type { AnswerText } from '../../answers/response-view.js';
import { quoted } from '../kinds/check-kind.js';
import type { text } from '../kinds/text.js';
import type { CheckAsker } from './check-asker.js';

/** True where a body holds a text: as it stands there, or, in a page, among what people read. */
export function holdsText(view: AnswerText, sought: string): boolean {
  if (view.body.includes(sought)) return true;
  if (view.kind !== 'html') return false;
  const squeezed = sought.replace(/\s+/g, ' ').trim();
  return squeezed !== '' && [view.html.title, view.html.texts.join(' ')].some((part) => part.replace(/\s+/g, ' ').includes(squeezed));
}

/** Asks whether a text stands in an answer. */
export const textAsker: CheckAsker<typeof text> = {
  failure: (checked, { view }, fill) => {
    const sought = fill(checked.text);
    if (holdsText(view, sought) === checked.present) return null;
    return checked.present ? `The answer does not hold ${quoted(sought)}.` : `The answer holds ${quoted(sought)}.`;
  },
  readsBody: () => true,
  problem: (checked) => (checked.text.length === 0 ? 'Write the text that the answer is to hold.' : null),
};
