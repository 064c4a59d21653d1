import { findNodeAtLocation, parseTree } from 'jsonc-parser';
import { encode } from '../values/encoding.js';
import { foundBy, jsonMatches, refined, type Fill } from './extract.js';
import type { ResponseView } from './response-view.js';
import type { Extractor } from './extractor.schema.js';
import { recordedText } from '../values/template.js';

/** A match of an extractor, and where it stands. */
export interface Located {
  value: string;
  /** From and to in the body, in UTF-16 units; null where it stands in a header. */
  span: { start: number; end: number } | null;
  /** True where it is the one that is read; where any may be read, all are. */
  picked: boolean;
}

/** All matches of an extractor with their places, in reading order. Throws where its expression is not valid. */
export function locateMatches(extractor: Extractor, response: ResponseView, fill: Fill = recordedText): Located[] {
  const members =
    extractor.kind === 'jsonpath'
      ? placesOfMembers(extractor, response, fill)
      : extractor.kind === 'xpath'
        ? placesOfTexts(extractor, response)
        : null;
  const found = foundBy(extractor, response, fill).flatMap((one, at) => {
    const [value] = refined(one.text, extractor);
    if (value === undefined) return [];
    const around = members?.[at] ?? one;
    return [{ value, span: around.end > around.start ? narrowed(value, one.text, around, response.body) : null }];
  });
  const pick = 'pick' in extractor ? extractor.pick : undefined;
  const nth = pick === 'last' ? found.length - 1 : pick === undefined && 'nth' in extractor ? extractor.nth : 0;
  return found.map((one, at) => ({ ...one, picked: pick === 'any' || at === nth }));
}

function placesOfMembers(extractor: Extract<Extractor, { kind: 'jsonpath' }>, response: ResponseView, fill: Fill) {
  const root = parseTree(response.body);
  return jsonMatches(extractor.path, response.json, extractor.beside && fill(extractor.beside)).map(({ keys }) => {
    const node = root && findNodeAtLocation(root, keys);
    return { start: node?.offset ?? 0, end: node ? node.offset + node.length : 0 };
  });
}

/** Where the texts that XPath gives stand, as far as they stand there just so: each behind the one before. */
function placesOfTexts(extractor: Extract<Extractor, { kind: 'xpath' }>, response: ResponseView) {
  let from = 0;
  return foundBy(extractor, response).map(({ text }) => {
    const raw = encode('xml', text);
    const at = raw === '' ? -1 : response.body.indexOf(raw, from);
    if (at < 0) return { start: 0, end: 0 };
    from = at + raw.length;
    return { start: at, end: from };
  });
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
