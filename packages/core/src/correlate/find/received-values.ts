import { pathAndQuery } from '../../take/messages.js';
import { xmlTexts } from '../../answers/xml-texts.js';
import { readHtml, type HtmlPage } from '../../answers/html.js';
import { headersIn, type AnswerText } from '../../answers/response-view.js';
import type { Extractor } from '../../extractors/extractor.schema.js';
import { keptParts } from './kept-parts.js';
import { spansOf } from './words.js';
import type { Header } from '../../take/take.schema.js';

/** A value of a response that a client could send back, and how to read it there. */
export interface ReceivedValue {
  value: string;
  /** What it is called there: field name, key, parameter, the segment before it. */
  name: string;
  /** Null where only text boundaries around it can tell, which are found when they are needed. */
  extractor: Extractor | null;
  /** How much the place depends on, from 0 (least) upwards. */
  rank: number;
  /** True where it is one of several of its kind: an item of a list, a link among others. */
  listed: boolean;
  /** True where a form offers it as a choice. */
  choice: boolean;
}

/** What is looked for; `mayBeIn` spares the texts that cannot hold anything of it. */
export interface Wants {
  has: (value: string, name: string) => boolean;
  mayBeIn: (text: string) => boolean;
  /** The same for a body or a part of it, with the values that are wanted only under certain names. */
  mayBeAnywhereIn: (body: string, from?: number, to?: number) => boolean;
}

/** Headers of a response that describe the message or the server. */
const ignoredHeaders = new Set(
  'date content-type content-length connection server keep-alive cache-control expires vary transfer-encoding content-encoding strict-transport-security server-timing age via accept-ranges last-modified content-security-policy x-powered-by x-frame-options x-content-type-options referrer-policy permissions-policy'.split(
    ' ',
  ),
);

interface Where {
  name: string;
  extractor: Extractor | null;
  rank: number;
  listed?: boolean;
  choice?: boolean;
}

const longestValue = 200_000;
const mostParts = 2000;

/** Collects what is wanted of the values of one response; everything else is passed over, so memory stays small. */
class Collector {
  readonly found: ReceivedValue[] = [];
  readonly #seen = new Set<string>();

  constructor(readonly wants: Wants) {}

  /** Keeps what was found; the same word at the same kind of place is the same find. */
  #keep(found: ReceivedValue): void {
    const key = found.extractor === null ? `${found.value} ${found.name}` : `${found.value} ${JSON.stringify(found.extractor)}`;
    if (this.#seen.has(key)) return;
    this.#seen.add(key);
    this.found.push(found);
  }

  whole(value: string, where: Where): void {
    if (value === '' || value.length > longestValue || !this.wants.has(value, where.name)) return;
    const { name, extractor, rank, listed = false, choice = false } = where;
    this.#keep({ value, name, extractor, rank, listed, choice });
  }

  part(value: string, left: string, right: string, where: Where, name = where.name): void {
    if (value === '' || !this.wants.has(value, name)) return;
    const extractor = where.extractor && { ...where.extractor, within: { left, right } };
    this.#keep({ value, name, extractor, rank: where.rank + 0.5, listed: where.listed ?? false, choice: where.choice ?? false });
  }

  /** A text as a whole, then the parts of it: of an address its segments and parameters, of other texts their words. */
  text(value: string, where: Where): void {
    this.whole(value, where);
    if (value.length < 2 || value.length > longestValue) return;
    const before = this.found.length;
    if (/^([a-z][a-z0-9+.-]*:\/\/|\/|\.{0,2}\/|\?|[\w.-]+\?)\S*$/i.test(value)) this.target(value, where);
    this.words(value, where, new Set(this.found.slice(before).map((receivedValue) => receivedValue.value)));
  }

  /** Segments and parameters of a target, each with the text before and after it as boundaries. */
  target(target: string, where: Where): void {
    const [beforeHash = ''] = target.split('#');
    const question = beforeHash.indexOf('?');
    const path = question < 0 ? beforeHash : beforeHash.slice(0, question);
    this.whole(pathAndQuery(target), { ...where, extractor: null });
    const segments = path.replace(/^[a-z][a-z0-9+.-]*:\/\/[^/]*/i, '').split('/');
    segments.forEach((segment, index) => {
      if (segment === '') return;
      const before = segments[index - 1] ?? '';
      const after = index + 1 < segments.length ? '/' : question >= 0 ? '?' : '';
      // Before the first segment stands nothing but the origin, which is another one elsewhere.
      const isFirst = before === '' && where.extractor !== null && !path.startsWith('/');
      const ownWhere = isFirst ? { ...where, extractor: { ...where.extractor, unwrap: 'target' } as Extractor } : where;
      this.part(segment, `${before === '' ? '' : `/${before}`}/`, after, ownWhere, before);
    });
    if (question < 0) return;
    const pairs = beforeHash.slice(question + 1).split('&');
    pairs.forEach((pair, index) => {
      const equals = pair.indexOf('=');
      if (equals <= 0) return;
      const rawName = pair.slice(0, equals);
      const name = unescaped(rawName) ?? rawName;
      const value = pair.slice(equals + 1);
      const right = index + 1 < pairs.length ? '&' : beforeHash === target ? '' : '#';
      // The sign before the name keeps `id=` from being found in `post_id=`.
      const left = `${index === 0 ? '?' : '&'}${rawName}=`;
      this.part(value, left, right, where, name);
      const plain = unescaped(value);
      if (plain !== undefined && plain !== value && this.wants.has(plain, name) && where.extractor)
        this.#keep({
          value: plain,
          name,
          extractor: { ...where.extractor, within: { left, right }, decode: ['component-plus'] },
          rank: where.rank + 0.6,
          listed: where.listed ?? false,
          choice: false,
        });
    });
  }

  /** Words of a text, coarse ones as tokens are written and fine ones of letters and digits alone. */
  words(text: string, where: Where, done: ReadonlySet<string> = new Set()): void {
    if (!this.wants.mayBeIn(text)) return;
    let count = 0;
    for (const coarse of text.matchAll(/[\w.~+/=%@-]+/g)) {
      if (!this.wants.mayBeIn(coarse[0])) continue;
      for (const { text: word, start } of [{ text: coarse[0], start: 0 }, ...spansOf(coarse[0])]) {
        const at = coarse.index + start;
        const name = this.#nameBefore(text, at) ?? where.name;
        if (word === text || !this.wants.has(word, name) || isInsideWord(text, at, word)) continue;
        if (++count > mostParts) return;
        const right = text.slice(at + word.length, at + word.length + 1);
        if (where.extractor === null) this.whole(word, { ...where, name });
        else if (!done.has(word) && !word.includes(right || '\u0000')) {
          const left = leftOf(text, at);
          if (left !== null) this.part(word, left, right, where, name);
        }
      }
    }
  }

  /** The name that a word has in a text: the key before a colon or equals sign, else the word before it. */
  #nameBefore(text: string, at: number): string | undefined {
    const before = text.slice(Math.max(0, at - 24), at);
    return /([\w$-]+)["'\]]*\s*[:=]\s*["'[{(]*$/.exec(before)?.[1] ?? /([A-Za-z][\w-]*)[^A-Za-z0-9]*$/.exec(before)?.[1];
  }
}

/** Digits between letters, as tokens have them: a number that stands there is none. */
const isInsideWord = (text: string, at: number, word: string): boolean =>
  /^\d+$/.test(word) && /[A-Za-z]/.test(text[at - 1] ?? '') && /[A-Za-z]/.test(text[at + word.length] ?? '');

const longestLeft = 24;

/** The shortest text before a position that leads to it alone, cut where a word begins, without digits; null where there is none. */
function leftOf(text: string, at: number): string | null {
  if (at === 0) return '';
  for (let length = 1; length <= Math.min(longestLeft, at); length++) {
    const left = text.slice(at - length, at);
    if (/\d/.test(left)) return null;
    const cutsWord = /^[A-Za-z]/.test(left) && /[A-Za-z0-9]/.test(text[at - length - 1] ?? ' ');
    if (!cutsWord && text.indexOf(left) === at - length) return left;
  }
  return null;
}

function unescaped(text: string): string | undefined {
  try {
    return decodeURIComponent(text.replace(/\+/g, ' '));
  } catch {
    return undefined;
  }
}

/** The wanted values of a response with their places; linear in the size of the response. */
export function receivedValues(response: AnswerText, wants: Wants): ReceivedValue[] {
  const collector = new Collector(wants);
  fromHeaders(headersIn(response), collector);
  // Reading a page or a document costs many times what passing over its text does.
  if (response.kind === 'html') {
    const kept = keptParts(response.body, wants.mayBeAnywhereIn);
    if (kept !== response.body) fromHtml(readHtml(kept), collector);
    else if (wants.mayBeAnywhereIn(response.body)) fromHtml(response.html, collector);
    return collector.found;
  }
  if (!wants.mayBeAnywhereIn(response.body)) return collector.found;
  if (response.kind === 'json' && response.json !== undefined) fromJson(response.json, collector);
  else if (response.kind === 'xml') fromXml(response.body, collector);
  else if (response.kind !== 'binary') collector.words(response.body, { name: '', extractor: null, rank: 6 });
  return collector.found;
}

function fromHeaders(headers: readonly Header[], collector: Collector): void {
  for (const [name, value] of headers) {
    const lower = name.toLowerCase();
    if (ignoredHeaders.has(lower)) continue;
    if (lower === 'set-cookie') {
      const pair = value.split(';')[0] ?? '';
      const equals = pair.indexOf('=');
      const cookie = pair.slice(0, equals).trim();
      const text = pair.slice(equals + 1).trim();
      const where: Where = { name: cookie, extractor: { kind: 'cookie', name: cookie }, rank: 1 };
      collector.whole(text, where);
      collector.words(text, where);
      const plain = unescaped(text);
      if (plain !== undefined && plain !== text) {
        collector.whole(plain, { ...where, extractor: { kind: 'cookie', name: cookie, decode: ['component'] } });
        collector.words(plain, { ...where, extractor: { kind: 'cookie', name: cookie, unwrap: 'component' } });
      }
      continue;
    }
    collector.text(value, { name: lower, extractor: { kind: 'header', name: lower }, rank: 0 });
  }
}

/** The attribute by which people would name an element: one that does not look as if it changed. */
function keyOf(attributes: Record<string, string>): { name: string; value: string } | null {
  for (const name of ['id', 'name', 'property', 'rel', 'data-testid', 'itemprop', 'http-equiv']) {
    const value = attributes[name];
    if (value !== undefined && value !== '' && !/\d/.test(value)) return { name, value };
  }
  return null;
}

function fromHtml(page: HtmlPage, collector: Collector): void {
  const fields = new Map<string, number>();
  let select = '';
  for (const { name: element, attributes } of page.elements) {
    const name = attributes['name'] ?? '';
    const { value } = attributes;
    if (element === 'select') select = name;
    if (element === 'option') {
      if (value !== undefined)
        collector.whole(value, {
          name: select,
          extractor: { kind: 'attribute', element, by: null, attribute: 'value', nth: 0 },
          rank: 9,
          listed: true,
          choice: true,
        });
      continue;
    }
    if (value !== undefined && name !== '' && /^(input|button|textarea|select)$/.test(element)) {
      const count = fields.get(name) ?? 0;
      fields.set(name, count + 1);
      const choice = /^(radio|checkbox)$/i.test(attributes['type'] ?? '');
      collector.text(value, { name, extractor: { kind: 'field', name, nth: count }, rank: 1, listed: choice, choice });
    }
    const by = keyOf(attributes);
    for (const [attribute, text] of Object.entries(attributes)) {
      if (attribute === 'class' || attribute === 'style' || text === '') continue;
      if (attribute === 'value' && name !== '' && element === 'input') continue;
      const extractor: Extractor = { kind: 'attribute', element, by: by?.name === attribute ? null : by, attribute, nth: 0 };
      const isLink = /^(href|src|action|formaction)$/.test(attribute);
      const ownName = attribute.startsWith('data-')
        ? attribute.slice(5)
        : attribute === 'content'
          ? (by?.value ?? attribute)
          : name || attribute;
      const rank = isLink ? (by ? 3 : 5) : by ? 2 : 4;
      collector.text(text, { name: ownName, extractor, rank, listed: !by });
    }
  }
  for (const text of [...page.scripts, ...page.comments]) if (collector.wants.mayBeAnywhereIn(text)) fromScript(text, collector);
  for (const text of page.texts) {
    collector.whole(text, { name: '', extractor: null, rank: 7 });
    collector.words(text, { name: '', extractor: null, rank: 8 });
  }
}

/** Lines of calls and assignments, as servers send them for a page to run. */
const isCode = (text: string): boolean =>
  text.length > 20 && /[;)}]\s*(\n|$)/.test(text) && /\w\s*[(=]/.test(text) && /["'][^"']*["']|\(/.test(text);

function fromScript(text: string, collector: Collector): void {
  // Quoted values first: in them a sign may stand that no word has.
  for (const match of text.matchAll(/(?:["']?([\w$-]{1,60})["']?\s*[:=]\s*)?(["'`])((?:(?!\2)[^\\\n]){1,4000})\2/g))
    collector.whole(match[3] ?? '', { name: match[1] ?? '', extractor: null, rank: 6 });
  for (const match of text.matchAll(/([\w$-]{1,60})?["']?\s*[:=]?\s*("(?:[^"\\\n]|\\.){1,4000}")/g))
    if (match[2]?.includes('\\')) {
      const plain = json(match[2]);
      if (typeof plain === 'string') collector.whole(plain, { name: match[1] ?? '', extractor: null, rank: 6 });
    }
  collector.words(text, { name: '', extractor: null, rank: 6.5 });
}

function json(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

function fromJson(document: unknown, collector: Collector): void {
  const walk = (value: unknown, path: string, listed: boolean, name: string, depth: number) => {
    if (depth > 200) return;
    if (Array.isArray(value))
      for (const item of value)
        // A list of one is no list to choose from.
        walk(item, value.length === 1 ? `${path}[0]` : `${path}[*]`, listed || value.length > 1, name, depth + 1);
    else if (value !== null && typeof value === 'object')
      for (const [key, inner] of Object.entries(value)) {
        const step = /^[A-Za-z_]\w*$/.test(key) ? `.${key}` : `[${JSON.stringify(key)}]`;
        // An id may be the key itself; no path can say so, boundaries can.
        collector.whole(key, { name, extractor: null, rank: 6, listed: true });
        walk(inner, path + step, listed, key, depth + 1);
      }
    else if (typeof value === 'string' && isCode(value)) {
      // A script within JSON: its values stand between words, not at a place of the document.
      fromScript(value, collector);
    } else if (typeof value === 'string' || typeof value === 'number')
      collector.text(String(value), {
        name: name === '' ? 'value' : name,
        extractor: { kind: 'jsonpath', path, pick: listed ? 'any' : 'first' },
        rank: 2,
        listed,
      });
  };
  walk(document, '$', false, '', 0);
}

function fromXml(body: string, collector: Collector): void {
  const counts = new Map<string, number>();
  for (const { path, text } of xmlTexts(body)) {
    const nth = counts.get(path) ?? 0;
    counts.set(path, nth + 1);
    collector.text(text, { name: path.split('/').at(-1) ?? '', extractor: { kind: 'xml', path, nth }, rank: 3 });
  }
  // Attributes have no path of their own here; boundaries find them.
  for (const match of body.matchAll(/([\w:.-]+)\s*=\s*"([^"<]{1,4000})"/g))
    collector.whole(match[2] ?? '', { name: match[1] ?? '', extractor: null, rank: 6 });
}
