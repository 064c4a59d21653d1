import { isPlainWord } from '../../take/messages.js';
import { isBareId, sameName, sameThing } from '../find/naming.js';
import { bitsPerSign } from '../find/shapes.js';
import type { Extractor } from '../../extractors/extractor.schema.js';
import type { Origin } from '../find/value-index.js';
import { isWeak } from '../find/wanted.js';

/**
 * How well a match of a sent value with a place in an answer is explained by a handoff, against chance: the sum of the agreement weights
 * log2(m/u) of what is compared (Fellegi and Sunter 1969, “A theory for record linkage”). Each weight is in bits; u is how often
 * unrelated places agree in that respect, m how often the two ends of a handoff do.
 */
export interface Weight {
  bits: number;
  /** Bits that do not come from the value itself: names, the row, the form, the request that made the thing. */
  tie: number;
}

/** A plain word is one of some thousand that an application shows again and again, however long it is. */
const bitsOfWord = 8;
/** Bits above this change no decision. */
const mostBits = 64;

/** How surprising it is to meet just this value where any value of its form could stand, in bits (Shannon 1948). */
export function surprisal(value: string): number {
  if (/^(true|false|null|on|off|yes|no)$/i.test(value)) return 1;
  // Small numbers are met far more often than large ones: p(n) = log10(1 + 1/n) over the numbers of a length (Benford 1938).
  if (/^\d{1,3}$/.test(value)) return -Math.log2(Math.log10(1 + 1 / Math.max(1, Number(value))));
  if (/^\d+$/.test(value)) return Math.min(mostBits, value.length * Math.log2(10));
  if (isPlainWord(value)) return bitsOfWord;
  // By the signs that could stand at each place, less what codes repeat; a longer token by its own entropy.
  const bySigns =
    bitsLeft *
    Array.from(value).reduce((sum, sign) => sum + (/\d/.test(sign) ? Math.log2(10) : /\p{L}/u.test(sign) ? Math.log2(26) : 0), 0);
  return Math.min(mostBits, Math.max(bySigns, value.length * bitsPerSign(value)));
}

const bitsLeft = 0.75;

/** What is known about a candidate beyond the value itself. */
export interface Circumstances {
  /** How the sent value is called. */
  name: string;
  /** Values of the same form that the answer holds, of which any could have matched by chance. */
  sameForm: number;
  /** For an extractor that takes any of several: how many different ones it had to take from, in each take. */
  offered: readonly number[];
  /** The request of the origin created the thing that the value names. */
  created: boolean;
  /** The row in which it is read is one of several, so the text that picks it says something. */
  narrowed: boolean;
  /** The answer was asked for with the value itself, so it may only repeat it. */
  repeats: boolean;
  /** Words that the addresses of both requests have in common and few others have. */
  sharedPath: boolean;
}

const weights = {
  sameName: 8,
  sameThing: 5,
  otherName: -3,
  created: 4,
  row: 5,
  form: 6,
  redirect: 5,
  sharedPath: 2,
  repeats: -6,
  position: -2,
  /** A free pick explains what nothing else does. */
  any: -3,
};

/** Names that say nothing of what they name, so that they agree and disagree with nothing. */
const saysNothing = (name: string): boolean => name === '' || isBareId(name) || /^(value|data|content|href|src|action|text)$/i.test(name);

/**
 * The weight of an origin for a value that was sent. `other` is what the second take sent at the same place, where the origin gave just
 * that; undefined where there is no second take, or where it sent the same.
 */
export function weigh(origin: Origin, value: string, otherValue: string | undefined, circumstances: Circumstances): Weight {
  const { name, sameForm, offered, created, narrowed, repeats, sharedPath } = circumstances;
  const { extractor } = origin;
  const chance =
    Math.min(mostBits, surprisal(value) + (otherValue === undefined ? 0 : surprisal(otherValue))) -
    Math.log2(Math.max(1, sameForm)) -
    offered.reduce((sum, count) => sum + Math.log2(Math.max(1, count)), 0);
  const isFreePick = 'pick' in extractor && extractor.pick === 'any';
  let tie = 0;
  if (sameName(origin.name, name) && !saysNothing(name)) tie += weights.sameName;
  else if (origin.linked || sameThing(origin.name, name)) tie += weights.sameThing;
  else if (!isFreePick && !saysNothing(origin.name) && !saysNothing(name)) tie += weights.otherName;
  if (created) tie += weights.created;
  if (extractor.beside && narrowed) tie += weights.row;
  if (extractor.kind === 'field' && sameName(origin.name, name)) tie += weights.form;
  if (extractor.kind === 'header' && extractor.name === 'location') tie += weights.redirect;
  if (sharedPath) tie += weights.sharedPath;
  if (repeats) tie += weights.repeats;
  const position = positionOf(extractor);
  if (position > 0) tie += weights.position - Math.log2(position);
  if (isFreePick) tie += weights.any;
  return { bits: chance + tie, tie };
}

/** The position by which an extractor picks one of several like things, from 0. */
function positionOf(extractor: Extractor): number {
  if (extractor.kind === 'jsonpath') return [...extractor.path.matchAll(/\[(\d+)\]/g)].reduce((sum, match) => sum + Number(match[1]), 0);
  return 'nth' in extractor && !('pick' in extractor && extractor.pick !== undefined) ? extractor.nth : 0;
}

/** Above this a match in both takes is no accident: chance alone would do it less than once in 4,000 times. */
export const bitsOfProof = 12;
/** Above this a handoff is more likely than anything else; below, the tester decides. */
export const bitsOfLikelihood = 6;

/** What two takes prove: a short value without any tie is never proven by them alone. */
export function evidenceOf({ bits, tie }: Weight, value: string): 'proven' | 'likely' | null {
  if (bits >= bitsOfProof && (!isWeak(value) || tie >= weights.sameThing)) return 'proven';
  return bits >= bitsOfLikelihood ? 'likely' : null;
}

const few = new Intl.NumberFormat('en', { maximumSignificantDigits: 1 });

/** The weight in words: how often chance alone would do as well. */
export const chanceOf = ({ bits }: Weight): string =>
  bits >= 30 ? 'chance alone would hardly ever do that' : `chance alone would do that once in ${few.format(Math.max(2, 2 ** bits))} times`;
