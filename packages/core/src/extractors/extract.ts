import type { AnswerText } from '../answers/response-view.js';
import { pathAndQuery } from '../take/messages.js';
import { decode } from '../values/encoding.js';
import { recordedText } from '../values/template.js';
import type { Template } from '../values/template.schema.js';
import type { Found } from '../answers/text-matches.js';
import { readerOf } from './extractor-readers.js';
import { kindOf, type Extractor } from './extractor.schema.js';

/** Gives the text of a template while a script is played; the recorded text where nothing is played. */
export type Fill = (template: Template) => string;

/** Every match of an extractor in an answer, whichever of them it picks. Throws where its expression is not valid. */
export const allMatches = (extractor: Extractor, answer: AnswerText, fill: Fill = recordedText): string[] =>
  foundBy(extractor, answer, fill).flatMap(({ text }) => refined(text, extractor));

/** The matches of an extractor that it may pick from, in reading order. Throws where its expression is not valid. */
export function matchesOf(extractor: Extractor, answer: AnswerText, fill: Fill = recordedText): string[] {
  const found = allMatches(extractor, answer, fill);
  if (!('nth' in extractor) || ('pick' in extractor && extractor.pick !== undefined)) return found;
  return found.slice(extractor.nth, extractor.nth + 1);
}

/** Everything that an extractor finds, whichever of it is picked and however it is refined. */
export const foundBy = (extractor: Extractor, answer: AnswerText, fill: Fill = recordedText): Found[] =>
  readerOf(extractor).find(extractor, answer, extractor.beside && fill(extractor.beside));

/** Throws where an expression of the extractor is not valid, whatever it is tried on. */
export const checkExtractor = (extractor: Extractor): void => readerOf(extractor).check?.(extractor);

/** True where the extractor reads the body of an answer, which then has to be kept. */
export const readsFromBody = (extractor: Extractor): boolean => kindOf(extractor).reads === 'body';

/** True where a value is what the extractor picks from its matches; where it says "any", one of them is enough. */
export function isPicked(value: string, extractor: Extractor, matches: readonly string[]): boolean {
  const how = 'pick' in extractor ? extractor.pick : 'first';
  if (how === 'any') return matches.includes(value);
  return (how === 'last' ? matches.at(-1) : matches[0]) === value;
}

/** Reads one value; `random` (in [0, 1)) decides where the extractor says "any". Undefined where nothing matches. */
export function readValue(extractor: Extractor, answer: AnswerText, random: () => number, fill?: Fill): string | undefined {
  const matches = matchesOf(extractor, answer, fill);
  const how = 'pick' in extractor ? extractor.pick : 'first';
  if (how === 'any') return matches[Math.floor(random() * matches.length)];
  return how === 'last' ? matches.at(-1) : matches[0];
}

/** An address without its origin; a relative one as it is. */
const targetOf = (address: string): string => (/^[a-z][a-z0-9+.-]*:\/\//i.test(address) ? pathAndQuery(address) : address);

/** What is left of a text once it is cut and unwrapped as the extractor says; nothing where that fails. */
export function refined(value: string, { unwrap, within, decode: encodings }: Extractor): string[] {
  const whole = unwrap === undefined ? value : unwrap === 'target' ? targetOf(value) : decode(unwrap, value);
  if (whole === undefined) return [];
  return cut(whole, within).flatMap((part) => {
    let text: string | undefined = part;
    for (const encoding of encodings ?? []) text = text === undefined ? undefined : decode(encoding, text);
    return text === undefined || text === '' ? [] : [text];
  });
}

function cut(value: string, within: { left: string; right: string } | undefined): string[] {
  if (!within) return value === '' ? [] : [value];
  const start = value.indexOf(within.left);
  if (start < 0) return [];
  const from = start + within.left.length;
  const end = within.right === '' ? value.length : value.indexOf(within.right, from);
  return end > from ? [value.slice(from, end)] : [];
}
