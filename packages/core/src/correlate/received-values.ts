import { xmlTexts } from '../script/extract.js';
import type { ResponseView } from '../script/response-view.js';
import type { Extractor } from '../script/script.schema.js';

/** A value that stands in a response, with the name it has there and the extractors that may read it, best first. */
export interface ReceivedValue {
  value: string;
  name: string;
  extractor: Extractor | null;
  /** Lower is less dependent on the rest of the response. */
  rank: number;
  /** True where the value is one item of a list, so that a person may have picked it. */
  listed: boolean;
}

const ignoredHeaders = new Set(
  'date content-type content-length connection server keep-alive cache-control expires vary transfer-encoding content-encoding strict-transport-security server-timing age via accept-ranges last-modified content-security-policy x-powered-by'.split(
    ' ',
  ),
);

/** All values of a response that a client could send back, with their places; linear in the size of the response. */
export function receivedValues(response: ResponseView): ReceivedValue[] {
  const found: ReceivedValue[] = [];
  const add = (value: string, name: string, extractor: Extractor | null, rank: number, listed = false) => {
    if (value !== '' && value.length <= 20_000) found.push({ value, name, extractor, rank, listed });
  };
  fromHeaders(response, add);
  if (response.kind === 'html') fromHtml(response, add);
  else if (response.kind === 'json') fromJson(response.json, add);
  else if (response.kind === 'xml') fromXml(response.body, add);
  return found;
}

type Add = (value: string, name: string, extractor: Extractor | null, rank: number, listed?: boolean) => void;

function fromHeaders(response: ResponseView, add: Add): void {
  for (const [name, value] of response.headers) {
    const lower = name.toLowerCase();
    if (ignoredHeaders.has(lower)) continue;
    if (lower === 'set-cookie') {
      const pair = value.split(';')[0] ?? '';
      const equals = pair.indexOf('=');
      const cookie = pair.slice(0, equals).trim();
      add(pair.slice(equals + 1).trim(), cookie, { kind: 'cookie', name: cookie }, 1);
      continue;
    }
    if (lower === 'location') {
      fromTarget(value, (part, partName, left, right) => {
        add(part, partName, { kind: 'header', name: 'location', within: { left, right } }, 0);
      });
      continue;
    }
    add(value, lower, { kind: 'header', name: lower }, 0);
    const quoted = /^(W\/)?"([^"]+)"$/.exec(value);
    if (quoted?.[2]) add(quoted[2], lower, { kind: 'header', name: lower, within: { left: '"', right: '"' } }, 0);
  }
}

/** Segments and parameters of a target, each with the text before and after it as boundaries. */
function fromTarget(target: string, add: (part: string, name: string, left: string, right: string) => void): void {
  const [beforeHash = ''] = target.split('#');
  const question = beforeHash.indexOf('?');
  const path = question < 0 ? beforeHash : beforeHash.slice(0, question);
  const segments = path.replace(/^[a-z][a-z0-9+.-]*:\/\/[^/]*/i, '').split('/');
  segments.forEach((segment, index) => {
    if (segment === '') return;
    const before = segments[index - 1] ?? '';
    const after = index + 1 < segments.length ? '/' : question >= 0 ? '?' : '';
    add(segment, before, `${before === '' ? '' : `/${before}`}/`, after);
  });
  if (question < 0) return;
  const pairs = beforeHash.slice(question + 1).split('&');
  pairs.forEach((pair, index) => {
    const equals = pair.indexOf('=');
    if (equals > 0) add(pair.slice(equals + 1), pair.slice(0, equals), `${pair.slice(0, equals)}=`, index + 1 < pairs.length ? '&' : '');
  });
}

function fromHtml(response: ResponseView, add: Add): void {
  const fields = new Map<string, number>();
  let select = '';
  for (const { name: element, attributes, nth } of response.html.elements) {
    const name = attributes['name'] ?? '';
    if (element === 'select') select = name;
    if (element === 'option') {
      if (attributes['value']) add(attributes['value'], select, null, 9, true);
      continue;
    }
    if (attributes['value'] !== undefined && name !== '' && /^(input|button|textarea)$/.test(element)) {
      const count = fields.get(name) ?? 0;
      fields.set(name, count + 1);
      add(attributes['value'], name, { kind: 'field', name, nth: count }, 1);
      continue;
    }
    for (const [attribute, value] of Object.entries(attributes)) {
      if (!/^(content|value|href|src|action|data-.+|formaction)$/.test(attribute)) continue;
      const key = ['id', 'name', 'property'].find((one) => attributes[one] !== undefined);
      const by = key ? { name: key, value: attributes[key] ?? '' } : null;
      const base = { kind: 'attribute' as const, element, by, attribute, nth: by ? 0 : nth };
      if (/^(href|src|action|formaction)$/.test(attribute))
        fromTarget(value, (part, partName, left, right) => {
          add(part, partName, { ...base, within: { left, right } }, by ? 3 : 5, !by);
        });
      else add(value, attribute.startsWith('data-') ? attribute.slice(5) : (by?.value ?? attribute), base, by ? 2 : 4, !by);
    }
  }
  for (const script of response.html.scripts)
    for (const match of script.matchAll(/(?:["']?([\w$-]{1,60})["']?\s*[:=]\s*)?(["'`])((?:(?!\2)[^\\\n]){1,4000})\2/g))
      add(match[3] ?? '', match[1] ?? '', null, 6);
  for (const text of response.html.texts) {
    add(text, '', null, 7);
    if (text.length < 400 && /\s/.test(text)) for (const word of text.split(/[\s,;()]+/)) add(word.replace(/\.$/, ''), '', null, 8);
  }
}

function fromJson(document: unknown, add: Add): void {
  const walk = (value: unknown, path: string, anyPath: string, name: string, depth: number) => {
    if (depth > 64) return;
    if (Array.isArray(value))
      value.slice(0, 2000).forEach((item, index) => {
        walk(item, `${path}[${index}]`, `${path}[*]`, name, depth + 1);
      });
    else if (value !== null && typeof value === 'object')
      for (const [key, inner] of Object.entries(value)) {
        const step = /^[A-Za-z_]\w*$/.test(key) ? `.${key}` : `[${JSON.stringify(key)}]`;
        walk(inner, path + step, anyPath === '' ? '' : anyPath + step, key, depth + 1);
      }
    else if (typeof value === 'string' || typeof value === 'number')
      add(String(value), name, { kind: 'jsonpath', path: anyPath || path, pick: anyPath ? 'any' : 'first' }, 2, anyPath !== '');
  };
  walk(document, '$', '', '', 0);
}

function fromXml(body: string, add: Add): void {
  const counts = new Map<string, number>();
  for (const { path, text } of xmlTexts(body)) {
    const nth = counts.get(path) ?? 0;
    counts.set(path, nth + 1);
    add(text, path.split('/').at(-1) ?? '', { kind: 'xml', path, nth }, 3);
  }
}
