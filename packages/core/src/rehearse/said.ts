import type { AnswerText } from '../answers/response-view.js';
import { faultTexts } from './failure-signs.js';

const shortest = 4;
const longest = 400;
const mostTexts = 5000;

/** The texts that an answer shows to a person, or says to a program: texts of a page, texts of members, lines. */
export function shownTexts(view: AnswerText): string[] {
  const texts: string[] = [];
  const add = (text: string): void => {
    const plain = text.replace(/\s+/g, ' ').trim();
    if (plain.length >= shortest && plain.length <= longest && texts.length < mostTexts) texts.push(plain);
  };
  if (view.kind === 'html') {
    view.html.texts.forEach(add);
    view.html.alerts.forEach(add);
  } else if (view.kind === 'json') {
    const walk = (value: unknown, depth: number): void => {
      if (depth > 32) return;
      if (typeof value === 'string') add(/<\/?[a-z][^>]*>/i.test(value) ? value.replace(/<[^>]*>/g, ' ') : value);
      else if (value !== null && typeof value === 'object')
        Object.values(value).forEach((inner) => {
          walk(inner, depth + 1);
        });
    };
    walk(view.json, 0);
  } else if (view.kind === 'text' || view.kind === 'xml')
    view.body
      .slice(0, 200_000)
      .replace(/<[^>]*>/g, '\n')
      .split('\n')
      .forEach(add);
  return texts;
}

/** A sentence is often cut by an element around one of its words; a short page is one text. */
const joinedTexts = (view: AnswerText): string[] => {
  const whole = view.kind === 'html' ? view.html.texts.join(' ').replace(/\s+/g, ' ').trim() : '';
  return whole.length >= shortest && whole.length <= longest ? [whole] : [];
};

/** What answers say where something went wrong; common practice, no source. */
const trouble =
  /\b(errors?|fail(s|ed|ure)?|invalid|not (found|valid|allowed|included|permitted|exist|available|authori[sz]ed)|denied|forbidden|unauthori[sz]ed|expired|already|duplicate|in use|must (be|not)|may not|cannot|can't|could not|couldn't|unable|wrong|missing|required|refused|rejected|conflict|exception|no longer|try again|mismatch|does not|doesn't|do not match|timed? ?out|locked)\b/i;

/** What answers say where a value must be another one each time, in the languages of the trade; common practice, no source. */
export const saysTaken = /already|exist|taken|duplicate|unique|in use|used before|conflict/i;

/** A text without what is another one on each visit: numbers, and words that hold digits. */
export const masked = (text: string): string => text.replace(/[\w-]*\d[\w-]*/g, '#').toLowerCase();

/** Members that say by themselves whether it went well. */
const flags = /^(success|ok|valid|succeeded|is_?valid|is_?success)$/i;

function flagsOf(view: AnswerText): Map<string, boolean> {
  const found = new Map<string, boolean>();
  if (view.kind !== 'json' || view.json === null || typeof view.json !== 'object') return found;
  for (const [key, value] of Object.entries(view.json)) if (flags.test(key) && typeof value === 'boolean') found.set(key, value);
  return found;
}

/** What the server says of trouble. */
export interface SaidTrouble {
  text: string;
  /** True where the answer is about nothing else: an alert, a fault, a flag, or a short message. */
  plain: boolean;
}

/** An answer this short is one message. */
const shortAnswer = 400;

/** What an answer says of trouble that none of the good answers says, the plainest first; numbers in it may be others. */
export function troubleIn(replayed: AnswerText, good: readonly AnswerText[]): SaidTrouble[] {
  if (replayed.kind === 'binary' || replayed.kind === 'script') return [];
  const known = new Set(good.flatMap((view) => [...shownTexts(view), ...joinedTexts(view), ...faultTexts(view)]).map(masked));
  const isNew = (text: string): boolean => !known.has(masked(text));
  const found: SaidTrouble[] = [];
  const goodFlags = good.map(flagsOf);
  for (const [key, value] of flagsOf(replayed))
    if (!value && goodFlags.some((goodFlag) => goodFlag.get(key) === true)) found.push({ text: `${key}: false`, plain: true });
  const faults = faultTexts(replayed);
  for (const text of faults)
    if (isNew(text) && !good.some((view) => faultTexts(view).length > 0 && !trouble.test(text))) found.push({ text, plain: true });
  const ofTrouble = (texts: readonly string[]): string[] =>
    [...new Set(texts)].filter((text) => trouble.test(text) && isNew(text) && !faults.includes(text));
  const whole = ofTrouble(shownTexts(replayed));
  // What begins with a small letter is the end of a sentence.
  const texts = whole.some((text) => /^\P{Ll}/u.test(text)) ? whole : [...whole, ...ofTrouble(joinedTexts(replayed))];
  const visible = replayed.kind === 'html' ? replayed.html.texts.join(' ').length : replayed.body.length;
  for (const text of texts) found.push({ text, plain: visible <= shortAnswer });
  // A sentence that is cut by an element is found in pieces, too.
  const longestOfEach = found.filter(
    (saidTrouble) =>
      !found.some(
        (otherTrouble) =>
          otherTrouble !== saidTrouble &&
          otherTrouble.text.length > saidTrouble.text.length &&
          otherTrouble.text.includes(saidTrouble.text),
      ),
  );
  return longestOfEach.sort((left, right) => Number(right.plain) - Number(left.plain) || left.text.length - right.text.length);
}
