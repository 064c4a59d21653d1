import { encode } from '../../values/encoding.js';
import { isPicked, matchesOf, refined } from '../../extractors/extract.js';
import { jsonMatches } from '../../answers/json-members.js';
import type { AnswerText } from '../../answers/response-view.js';
import type { Extractor } from '../../extractors/extractor.schema.js';
import { boundariesBehind, boundariesFor } from './boundaries.js';
import type { ReceivedValue } from './received-values.js';

/**
 * The extractors that read a value where it was found in a response, the sturdiest first. `typed` gives texts that the client had sent
 * before, which pick the row or object that the value stands in.
 */
export function extractorsFor(received: ReceivedValue, value: string, view: AnswerText, typed: () => readonly string[]): Extractor[] {
  const { extractor } = received;
  if (!extractor) return [...besideName(received.name, value, view, typed), ...boundaryExtractors(view, value)];
  const wanted: Extractor[] = [];
  if (extractor.kind === 'attribute' && extractor.by === null) {
    const all = matchesOf({ ...extractor, pick: 'any' }, view);
    const at = all.indexOf(value);
    if (at < 0) return [];
    // Of what a form offers, any other would do as well.
    if (received.choice) return [{ ...extractor, pick: 'any' }];
    wanted.push(...besides(extractor, view, typed(), at > 0 && at === all.length - 1 ? 'last' : 'first'));
    if (at === 0) wanted.push({ ...extractor, nth: 0 });
    else if (at === all.length - 1 && all.length > 1) wanted.push({ ...extractor, pick: 'last' });
    wanted.push({ ...extractor, nth: at });
    // The links of a list that all lead to a thing of the same kind: any of them would do where the picked row is another each time.
    if (received.listed && extractor.within && all.length > 1 && all.every((text) => kindOf(text) === kindOf(value)))
      wanted.push({ ...extractor, pick: 'any' });
  } else if (extractor.kind === 'jsonpath' && received.listed) {
    const all = matchesOf(extractor, view);
    const last = all.length > 1 && all.lastIndexOf(value) === all.length - 1;
    const { tuple, positions } = positionsOf(extractor, value, view);
    // Of what is no list of like things, such as a pair of id and key, each position has a meaning of its own.
    wanted.push(...besides(extractor, view, typed(), last ? 'last' : 'first'));
    wanted.push(...(tuple ? [...positions, extractor] : [extractor, ...positions]));
  } else wanted.push(extractor);
  return wanted.filter((extractor) => isPicked(value, extractor, matchesOf(extractor, view)));
}

/** A list this long is a list of like things, whatever stands in it. */
const longestTuple = 8;
const mostPositions = 4;

/** The extractors that read a value by its position in the lists it stands in, and whether the innermost list is a tuple of unlike values. */
function positionsOf(
  extractor: Extract<Extractor, { kind: 'jsonpath' }>,
  value: string,
  view: AnswerText,
): { tuple: boolean; positions: Extractor[] } {
  const members = jsonMatches(extractor.path, view.json, undefined);
  const at = members.flatMap((member, position) => (refined(member.text, extractor).includes(value) ? [position] : []));
  const positions = at.slice(0, mostPositions).flatMap((position): Extractor[] => {
    const member = members[position];
    return member ? [{ ...extractor, path: pathOf(member.keys), pick: 'first' }] : [];
  });
  const isScalarList = extractor.path.endsWith('[*]') && members.length <= longestTuple;
  const forms = new Set(members.map((member) => kindOf(member.text).replace(/x+/g, 'x')));
  return { tuple: isScalarList && forms.size > 1, positions };
}

/** A normalised path (RFC 9535, 2.7) as extractors write it. */
const pathOf = (keys: readonly (string | number)[]): string =>
  keys.reduce<string>(
    (path, key) => path + (typeof key === 'number' ? `[${key}]` : /^[A-Za-z_]\w*$/.test(key) ? `.${key}` : `[${JSON.stringify(key)}]`),
    '$',
  );

/** What a value is made of: digits, a UUID, or its length. */
const kindOf = (value: string): string => (/^\d+$/.test(value) ? 'digits' : value.replace(/[0-9a-f]/gi, 'x'));

/**
 * The extractor, kept to the row or object in which a text stands that the client had sent before. Where several rows hold it, the
 * one is taken that stands at the same end of the list: what is made last stands there.
 */
function besides(extractor: Extractor, view: AnswerText, typed: readonly string[], end: 'first' | 'last'): Extractor[] {
  const shown = typed.filter((text) => view.body.includes(text));
  return shown.slice(0, 8).map((text) => ({ ...extractor, beside: [{ kind: 'text', text }], pick: end }) as Extractor);
}

/** So many places behind a name are looked at. */
const mostNamed = 4;

/**
 * Boundaries of a value behind its name in a script or a text: kept to the line in which a text stands that the client had sent before, such
 * as the call for one row; else where the name leads to it alone, or by position.
 */
function besideName(name: string, value: string, view: AnswerText, typed: () => readonly string[]): Extractor[] {
  if (name === '') return [];
  const raws = [...new Set([value, encode('json', value), encode('xml', value)])];
  const named = raws.flatMap((raw) => boundariesBehind(view.body, raw, name)).slice(0, mostNamed);
  if (named.length === 0) return [];
  const texts = typed()
    .filter((text) => view.body.includes(text) && !/\d{10}/.test(text))
    .slice(0, 4);
  return named.flatMap((boundary) => {
    const all = matchesOf({ ...boundary, nth: 0, pick: 'any' }, view);
    const end = all.length > 1 && boundary.nth === all.length - 1 ? 'last' : 'first';
    const inLine = texts.map((text): Extractor => ({ ...boundary, nth: 0, pick: end, beside: [{ kind: 'text', text }] }));
    const byPosition: Extractor = end === 'last' ? { ...boundary, nth: 0, pick: 'last' } : boundary;
    return [
      ...(all.length > 1 ? inLine : []),
      boundary.nth === 0 || end === 'last' ? byPosition : boundary,
      ...(all.length > 1 ? [] : inLine),
    ].filter((way) => isPicked(value, way, matchesOf(way, view)));
  });
}

/** Boundaries around the value, as it stands in the body or in an escaped form of it. */
export function boundaryExtractors(view: AnswerText, value: string): Extractor[] {
  const plain = boundariesFor(view.body, value);
  if (plain) return [plain];
  for (const [raw, encoding] of [
    [encode('xml', value), 'xml'],
    [encode('json', value), 'json'],
    [encode('json', value).replace(/\//g, '\\/'), 'json'],
    [encode('component', value), 'component'],
  ] as const) {
    const found = raw === value ? null : boundariesFor(view.body, raw);
    if (found) return [{ ...found, decode: [encoding] }];
  }
  return [];
}

/** An expression that finds what stands between two boundaries, for those who would rather write it so; null where it finds another. */
export function expressionFor(view: AnswerText, value: string): Extractor | null {
  const between = boundariesFor(view.body, value);
  if (!between) return null;
  const signs = /^\d+$/.test(value) ? '\\d+' : /^\w+$/.test(value) ? '\\w+' : /^\S+$/.test(value) ? '[^\\s"\'<>]+' : '[^"<>]+';
  const quoted = (text: string): string => text.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&').replace(/\s+/g, '\\s+');
  const extractor: Extractor = { kind: 'regex', pattern: `${quoted(between.left)}(${signs})`, nth: 0 };
  return isPicked(value, extractor, matchesOf(extractor, view)) ? extractor : null;
}
