import type { AnswerText } from '../answers/response-view.js';
import { encode } from '../values/encoding.js';
import { recordedText } from '../values/template.js';
import { foundBy, refined, type Fill } from './extract.js';
import { readerOf } from './extractor-readers.js';
import type { Extractor } from './extractor.schema.js';

/** A match of an extractor, and where it stands. */
export interface Located {
  value: string;
  /** From and to in the body, in UTF-16 units; null where it stands in a header. */
  span: { start: number; end: number } | null;
  /** True where it is the one that is read; where any may be read, all are. */
  picked: boolean;
}

/** All matches of an extractor with their places, in reading order. Throws where its expression is not valid. */
export function locateMatches(extractor: Extractor, answer: AnswerText, fill: Fill = recordedText): Located[] {
  const spans = readerOf(extractor).spans?.(extractor, answer, extractor.beside && fill(extractor.beside));
  const found = foundBy(extractor, answer, fill).flatMap((match, at) => {
    const [value] = refined(match.text, extractor);
    if (value === undefined) return [];
    const around = spans?.[at] ?? match;
    return [{ value, span: around.end > around.start ? narrowed(value, match.text, around, answer.body) : null }];
  });
  const pick = 'pick' in extractor ? extractor.pick : undefined;
  const nth = pick === 'last' ? found.length - 1 : pick === undefined && 'nth' in extractor ? extractor.nth : 0;
  return found.map((match, at) => ({ ...match, picked: pick === 'any' || at === nth }));
}

/** The place of the value itself within what was found, as it stands there or escaped; else all that was found. */
function narrowed(value: string, text: string, around: { start: number; end: number }, body: string): { start: number; end: number } {
  const slice = body.slice(around.start, around.end);
  for (const raw of [value, encode('xml', value), encode('json', value), encode('component', value), text]) {
    // What an attribute holds stands behind its name, which may hold the same letters.
    const at = Math.max(slice.indexOf(`"${raw}"`) + 1, slice.indexOf(`'${raw}'`) + 1) || slice.lastIndexOf(raw);
    if (raw !== '' && at >= 0) return { start: around.start + at, end: around.start + at + raw.length };
  }
  return { start: around.start, end: around.end };
}
