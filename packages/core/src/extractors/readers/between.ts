import { mostMatches, type Found } from '../../answers/text-matches.js';
import type { ExtractorReader } from '../kinds/extractor-kind.js';
import { besideInText } from './lines.js';
import type { between } from '../kinds/between.js';

function betweens(text: string, left: string, right: string): Found[] {
  const found: Found[] = [];
  // An empty left boundary stands everywhere and leads nowhere.
  let at = left === '' ? -1 : text.indexOf(left);
  while (at >= 0 && found.length < mostMatches) {
    const from = at + left.length;
    const end = text.indexOf(right, from);
    if (end < 0) break;
    found.push({ text: text.slice(from, end), start: from, end });
    at = text.indexOf(left, from);
  }
  return found;
}

/** Reads texts between two others. */
export const betweenReader: ExtractorReader<typeof between> = {
  find: ({ left, right }, { body }, beside) => besideInText(betweens(body, left, right), body, beside),
};
