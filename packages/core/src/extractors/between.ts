import * as z from 'zod';
import { mostMatches, type Found } from '../answers/text-matches.js';
import { extractorKind, nth, pick, refining, type ExtractorReader } from './extractor-kind.js';
import { besideInText } from './lines.js';

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

/** The text between two others. */
export const between = extractorKind({
  schema: z.object({ kind: z.literal('between'), left: z.string(), right: z.string(), nth, pick: pick.optional(), ...refining }),
  reads: 'body',
  receivedIn: 'text',
  words: ({ left, right }) => `the text between “${left}” and “${right}”`,
});

export const betweenReader: ExtractorReader<typeof between> = {
  find: ({ left, right }, { body }, beside) => besideInText(betweens(body, left, right), body, beside),
};
