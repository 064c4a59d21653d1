import { Parser } from 'htmlparser2';
import { RE2JS } from 're2js';
import { compileExpression } from '../values/expression.js';
import { headersOf, pathAndQuery } from '../take/messages.js';
import { decode } from '../values/encoding.js';
import type { HtmlElement } from './html.js';
import { jsonNodes, jsonPath } from './json-path.js';
import type { ResponseView } from './response-view.js';
import type { Extractor } from './extractor.schema.js';
import type { Template } from '../values/template.schema.js';
import { recordedText } from '../values/template.js';
import { checkXPath, xPathTexts } from './x-path.js';

/** Gives the text of a template while a script is played; the recorded text where nothing is played. */
export type Fill = (template: Template) => string;

/** What an extractor found before it is refined, and where that stands in the body; from 0 to 0 where it stands in a header. */
export interface Found {
  text: string;
  start: number;
  end: number;
}

/** Every match of an extractor in a response, whichever of them it picks. Throws where its expression is not valid. */
export const allMatches = (extractor: Extractor, response: ResponseView, fill: Fill = recordedText): string[] =>
  foundBy(extractor, response, fill).flatMap(({ text }) => refined(text, extractor));

/** The matches of an extractor that it may pick from, in reading order. Throws where its expression is not valid. */
export function matchesOf(extractor: Extractor, response: ResponseView, fill: Fill = recordedText): string[] {
  const found = allMatches(extractor, response, fill);
  if (!('nth' in extractor) || ('pick' in extractor && extractor.pick !== undefined)) return found;
  return found.slice(extractor.nth, extractor.nth + 1);
}

const inHeader = (text: string): Found => ({ text, start: 0, end: 0 });
const attributeOf = (element: HtmlElement, name: string): Found[] => {
  const text = element.attributes[name];
  return text === undefined ? [] : [{ text, start: element.start, end: element.end }];
};

/** Everything that an extractor finds, whichever of it is picked and however it is refined. */
export function foundBy(extractor: Extractor, response: ResponseView, fill: Fill = recordedText): Found[] {
  const beside = extractor.beside && fill(extractor.beside);
  const inRow = (one: HtmlElement) => beside === undefined || (response.html.rows[one.row] ?? '').includes(beside);
  switch (extractor.kind) {
    case 'header':
      return headersOf(response.headers, extractor.name).map(inHeader);
    case 'cookie':
      return headersOf(response.headers, 'set-cookie').flatMap((line) => {
        const pair = line.split(';')[0] ?? '';
        const equals = pair.indexOf('=');
        return pair.slice(0, equals).trim() === extractor.name ? [inHeader(pair.slice(equals + 1).trim())] : [];
      });
    case 'field':
      return response.html.elements
        .filter((one) => one.attributes['name'] === extractor.name && inRow(one))
        .flatMap((one) => attributeOf(one, 'value'));
    case 'attribute':
      return response.html.elements
        .filter(
          (one) =>
            one.name === extractor.element && (!extractor.by || one.attributes[extractor.by.name] === extractor.by.value) && inRow(one),
        )
        .flatMap((one) => attributeOf(one, extractor.attribute));
    case 'jsonpath':
      // Where a member stands in the text is costly to know, so it is looked up only where it is to be shown.
      return jsonMatches(extractor.path, response.json, beside).map(({ text }) => inHeader(text));
    case 'xml':
      return xmlTexts(response.body).filter((one) => one.path === extractor.path);
    case 'xpath':
      return xPathTexts(extractor.expression, response).map(inHeader);
    case 'between':
      return besideInText(betweens(response.body, extractor.left, extractor.right), response.body, beside);
    case 'regex':
      return besideInText(regexMatches(extractor.pattern, response.body), response.body, beside);
  }
}

/** Of what was found in a text, that whose line holds another text; a line ends at a break, also one that is written as \\n in a script. */
function besideInText(found: Found[], body: string, beside: string | undefined): Found[] {
  if (beside === undefined) return found;
  const spellings = [beside, JSON.stringify(beside).slice(1, -1), JSON.stringify(JSON.stringify(beside).slice(1, -1)).slice(1, -1)];
  return found.filter(({ start, end }) => {
    const line = lineAround(body, start, end);
    return spellings.some((text) => line.includes(text));
  });
}

const longestLine = 20_000;

function lineAround(body: string, start: number, end: number): string {
  const from = Math.max(start - longestLine, body.lastIndexOf('\n', start - 1) + 1, body.lastIndexOf('\\n', start - 1) + 2, 0);
  const breaks = [body.indexOf('\n', end), body.indexOf('\\n', end)].filter((at) => at >= 0);
  return body.slice(from, Math.min(end + longestLine, body.length, ...breaks));
}

/** The members that a path leads to, with their places as normalised paths (RFC 9535, 2.7); `beside` as in the schema. */
export function jsonMatches(path: string, document: unknown, beside: string | undefined): { text: string; keys: (string | number)[] }[] {
  if (document === undefined) return [];
  const members = (root: unknown, own: string): { text: string; keys: (string | number)[] }[] =>
    jsonNodes(own, root).flatMap(({ value, keys }) =>
      typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean' ? [{ text: String(value), keys }] : [],
    );
  if (beside === undefined) return members(document, path);
  // The objects of the list are looked at one by one: the path up to its last wildcard gives them, the rest the value.
  const star = path.lastIndexOf('[*]');
  if (star < 0) return [];
  const wanted = JSON.stringify(beside).slice(1, -1);
  return jsonNodes(path.slice(0, star + 3), document)
    .filter(({ value }) => JSON.stringify(value).includes(wanted))
    .flatMap(({ value, keys }) =>
      members(value, `$${path.slice(star + 3)}`).map((one) => ({ text: one.text, keys: [...keys, ...one.keys] })),
    );
}

/**
 * Matches of an expression, in time linear in the text whatever the expression: it is run by an automaton (Thompson 1968), which
 * has no look-around and no back-references. Throws where the expression is not valid.
 */
function regexMatches(pattern: string, text: string): Found[] {
  const found: Found[] = [];
  const matcher = compileExpression(pattern, RE2JS.MULTILINE).matcher(text);
  const group = matcher.groupCount() > 0 ? 1 : 0;
  while (found.length < mostMatches && matcher.find()) {
    // An optional group that took no part has no place; then the expression found nothing to read.
    const matched = matcher.group(group);
    if (matched != null) found.push({ text: matched, start: matcher.start(group), end: matcher.end(group) });
  }
  return found;
}

/** More matches than this are not looked for. */
const mostMatches = 10_000;

/** Throws where an expression of the extractor is not valid, whatever it is tried on. */
export function checkExtractor(extractor: Extractor): void {
  if (extractor.kind === 'regex') compileExpression(extractor.pattern);
  if (extractor.kind === 'jsonpath') jsonPath(extractor.path);
  if (extractor.kind === 'xpath') checkXPath(extractor.expression);
}

/** True where a value is what the extractor picks from its matches; where it says "any", one of them is enough. */
export function isPicked(value: string, extractor: Extractor, matches: readonly string[]): boolean {
  const how = 'pick' in extractor ? extractor.pick : 'first';
  if (how === 'any') return matches.includes(value);
  return (how === 'last' ? matches.at(-1) : matches[0]) === value;
}

/** Reads one value; `random` (in [0, 1)) decides where the extractor says "any". Undefined where nothing matches. */
export function readValue(extractor: Extractor, response: ResponseView, random: () => number, fill?: Fill): string | undefined {
  const matches = matchesOf(extractor, response, fill);
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

/** Texts of an XML document with the path of element names that leads to them. */
export function xmlTexts(text: string): (Found & { path: string })[] {
  const found: (Found & { path: string })[] = [];
  const path: string[] = [];
  const parser = new Parser(
    {
      onopentag: (name) => path.push(name),
      onclosetag: () => path.pop(),
      ontext: (part) => {
        const where = `/${path.join('/')}`;
        const last = found.at(-1);
        // Entities split a text into parts; the parts of one text belong together.
        if (last?.path === where && parser.startIndex === lastEnd + 1) {
          last.text += part;
          last.end = parser.endIndex + 1;
        } else if (part.trim() !== '') found.push({ path: where, text: part, start: parser.startIndex, end: parser.endIndex + 1 });
        lastEnd = parser.endIndex;
      },
    },
    { xmlMode: true },
  );
  let lastEnd = -2;
  parser.end(text);
  return found.map((one) => ({ ...one, text: one.text.trim() }));
}
