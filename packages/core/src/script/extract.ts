import { Parser } from 'htmlparser2';
import { query } from 'jsonpath-rfc9535';
import { headersOf } from '../take/messages.js';
import type { ResponseView } from './response-view.js';
import type { Extractor } from './script.schema.js';

/** All matches of an extractor in a response, in reading order. */
export function matchesOf(extractor: Extractor, response: ResponseView): string[] {
  switch (extractor.kind) {
    case 'header':
      return headersOf(response.headers, extractor.name).flatMap((value) => cut(value, extractor.within));
    case 'cookie':
      return headersOf(response.headers, 'set-cookie').flatMap((line) => {
        const pair = line.split(';')[0] ?? '';
        const equals = pair.indexOf('=');
        return pair.slice(0, equals).trim() === extractor.name ? [pair.slice(equals + 1).trim()] : [];
      });
    case 'field':
      return pick(
        response.html.elements
          .filter((one) => one.attributes['name'] === extractor.name && one.attributes['value'] !== undefined)
          .map((one) => one.attributes['value'] ?? ''),
        extractor.nth,
      );
    case 'attribute':
      return pick(
        response.html.elements
          .filter((one) => one.name === extractor.element && (!extractor.by || one.attributes[extractor.by.name] === extractor.by.value))
          .flatMap((one) => cut(one.attributes[extractor.attribute] ?? '', extractor.within)),
        extractor.nth,
      );
    case 'jsonpath': {
      if (response.json === undefined) return [];
      return query(response.json as Parameters<typeof query>[0], extractor.path).flatMap((value) =>
        typeof value === 'string' ? [value] : typeof value === 'number' || typeof value === 'boolean' ? [String(value)] : [],
      );
    }
    case 'xml':
      return pick(
        xmlTexts(response.body)
          .filter((one) => one.path === extractor.path)
          .map((one) => one.text),
        extractor.nth,
      );
    case 'between':
      return pick(betweens(response.body, extractor.left, extractor.right), extractor.nth);
  }
}

/** Reads one value; `random` (in [0, 1)) decides where the extractor says "any". Undefined where nothing matches. */
export function readValue(extractor: Extractor, response: ResponseView, random: () => number): string | undefined {
  const matches = matchesOf(extractor, response);
  if (extractor.kind === 'jsonpath' && extractor.pick === 'any') return matches[Math.floor(random() * matches.length)];
  if (extractor.kind === 'jsonpath' && extractor.pick === 'last') return matches.at(-1);
  return matches[0];
}

const pick = (values: string[], nth: number): string[] => values.slice(nth, nth + 1);

function cut(value: string, within: { left: string; right: string } | undefined): string[] {
  if (!within) return value === '' ? [] : [value];
  const start = value.indexOf(within.left);
  if (start < 0) return [];
  const from = start + within.left.length;
  const end = within.right === '' ? value.length : value.indexOf(within.right, from);
  return end > from ? [value.slice(from, end)] : [];
}

function betweens(text: string, left: string, right: string): string[] {
  const found: string[] = [];
  let at = text.indexOf(left);
  while (at >= 0) {
    const from = at + left.length;
    const end = text.indexOf(right, from);
    if (end < 0) break;
    found.push(text.slice(from, end));
    at = text.indexOf(left, from);
  }
  return found;
}

/** Texts of an XML document with the path of element names that leads to them. */
export function xmlTexts(text: string): { path: string; text: string }[] {
  const found: { path: string; text: string }[] = [];
  const path: string[] = [];
  const parser = new Parser(
    {
      onopentag: (name) => path.push(name),
      onclosetag: () => path.pop(),
      ontext: (part) => {
        const where = `/${path.join('/')}`;
        const last = found.at(-1);
        // Entities split a text into parts; the parts of one text belong together.
        if (last?.path === where && parser.startIndex === lastEnd + 1) last.text += part;
        else if (part.trim() !== '') found.push({ path: where, text: part });
        lastEnd = parser.endIndex;
      },
    },
    { xmlMode: true },
  );
  let lastEnd = -2;
  parser.end(text);
  return found.map((one) => ({ ...one, text: one.text.trim() }));
}

/** An extractor in words, as the screen shows it. */
export function describeExtractor(extractor: Extractor): string {
  switch (extractor.kind) {
    case 'header':
      return `the header ${extractor.name}${extractor.within ? `, after “${extractor.within.left}”` : ''}`;
    case 'cookie':
      return `the cookie ${extractor.name}`;
    case 'field':
      return `the form field ${extractor.name}${extractor.nth > 0 ? ` (number ${extractor.nth + 1})` : ''}`;
    case 'attribute':
      return `the attribute ${extractor.attribute} of <${extractor.element}${extractor.by ? ` ${extractor.by.name}="${extractor.by.value}"` : ''}>`;
    case 'jsonpath':
      return `${extractor.pick === 'any' ? 'any of ' : extractor.pick === 'last' ? 'the last of ' : ''}${extractor.path}`;
    case 'xml':
      return `the element ${extractor.path}`;
    case 'between':
      return `the text between “${extractor.left}” and “${extractor.right}”`;
  }
}
