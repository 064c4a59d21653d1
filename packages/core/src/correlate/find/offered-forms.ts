import { bodyKind, pathAndQuery } from '../../take/messages.js';
import type { Exchange } from '../../take/take.schema.js';
import type { HtmlElement, HtmlPage } from '../../answers/html.js';
import type { Extractor } from '../../extractors/extractor.schema.js';
import { sentType, verbOf } from '../../take/exchanges.js';

/** One of the things that a form lets a person choose from. */
export interface OfferedOption {
  value: string;
  label: string;
  /** Reads the option by its position on the page. */
  extractor: Extractor;
}

/** A field as the page showed it, before anything was typed or chosen. */
export interface OfferedField {
  name: string;
  /** `given` is sent as the page gave it: hidden, or a button. */
  kind: 'given' | 'text' | 'choice';
  /** What would be sent if nobody touched it, in the order of fields of the same name, and how to read it. */
  preset: { value: string; extractor: Extractor }[];
  /** What a choice offers; empty for the others. */
  options: OfferedOption[];
}

/** The form that a request sends, with the answer that showed it. */
export interface OfferedForm {
  /** The exchange whose answer is the page. */
  page: number;
  fields: ReadonlyMap<string, OfferedField>;
}

const isField = (element: HtmlElement): boolean => /^(input|select|textarea|button)$/.test(element.name);

function kindOfField(element: HtmlElement): OfferedField['kind'] | null {
  const type = (element.attributes['type'] ?? '').toLowerCase();
  if (element.name === 'select') return 'choice';
  if (element.name === 'textarea') return 'text';
  if (element.name === 'button' || /^(submit|image|button|hidden)$/.test(type)) return 'given';
  if (/^(radio|checkbox)$/.test(type)) return 'choice';
  return type === 'reset' ? null : 'text';
}

/** What stands in the row of a radio button or checkbox, where that is short enough to be its label. */
function labelOf(page: HtmlPage, element: HtmlElement): string {
  const text = (page.rows[element.row] ?? '').trim();
  return text.length <= longestLabel ? text : '';
}

const longestLabel = 60;

function fieldsOf(page: HtmlPage, form: number): Map<string, OfferedField> {
  const fields = new Map<string, OfferedField>();
  const counts = new Map<string, number>();
  let select: OfferedField | null = null;
  page.elements.forEach((element) => {
    const name = element.attributes['name'] ?? '';
    const nth = counts.get(name) ?? 0;
    if (element.attributes['value'] !== undefined) counts.set(name, nth + 1);
    const extractor: Extractor = { kind: 'field', name, nth };
    if (element.name === 'option' && select) {
      const label = (page.rows[element.row] ?? '').trim();
      const read: Extractor = { kind: 'attribute', element: 'option', by: null, attribute: 'value', nth: element.nth };
      select.options.push({ value: element.attributes['value'] ?? label, label, extractor: read });
      return;
    }
    if (element.name !== 'optgroup' && element.name !== 'option') select = null;
    const owner = element.attributes['form'];
    const belongs = owner === undefined ? element.form === form : page.elements[form]?.attributes['id'] === owner;
    if (!isField(element) || name === '' || !belongs) return;
    const kind = kindOfField(element);
    if (kind === null) return;
    const field = fields.get(name) ?? { name, kind, preset: [], options: [] };
    // A hidden twin of a checkbox says what is sent where it is not ticked; the checkbox is what a person sees.
    if (kind === 'choice') field.kind = 'choice';
    fields.set(name, field);
    const value = element.attributes['value'] ?? '';
    if (element.name === 'select') {
      select = field;
      if (value !== '') field.preset.push({ value, extractor });
    } else if (kind === 'choice') {
      field.options.push({ value: element.attributes['value'] ?? 'on', label: labelOf(page, element), extractor });
      if ('checked' in element.attributes) field.preset.push({ value: element.attributes['value'] ?? 'on', extractor });
    } else field.preset.push({ value, extractor });
  });
  return fields;
}

/** The names of the fields that a request sends as a form or in its query. */
export function sentNames(exchange: Exchange, body: string | undefined): string[] {
  const plain = (text: string): string => {
    try {
      return decodeURIComponent(text.replace(/\+/g, ' '));
    } catch {
      return text;
    }
  };
  const pairs = (text: string): string[] =>
    text
      .split('&')
      .filter(Boolean)
      .map((pair) => plain(pair.split('=')[0] ?? ''));
  if (verbOf(exchange) === 'GET') return pairs(pathAndQuery(exchange.url).split('?')[1] ?? '');
  const kind = bodyKind(sentType(exchange));
  if (kind === 'form') return pairs(body ?? '');
  if (kind === 'multipart') return [...(body ?? '').matchAll(/\bname="([^"]*)"/g)].map((match) => match[1] ?? '');
  if (kind === 'json') return [...(body ?? '').slice(0, 20_000).matchAll(/"([\w[\].-]+)"\s*:/g)].map((match) => match[1] ?? '');
  return [];
}

/** A form is that of a request where it has this part of the names that are sent. */
const leastNames = 0.5;

/**
 * The form that a request was sent from: the latest page before it with a form that has the names which are sent, best the one whose
 * action is the address. `pages` are those before it, the latest first. Null where no page showed one, as in pages that scripts draw.
 */
export function formOf(exchange: Exchange, names: readonly string[], pages: Iterable<{ n: number; html: HtmlPage }>): OfferedForm | null {
  if (names.length === 0) return null;
  const target = pathAndQuery(exchange.url).split('?')[0] ?? '';
  let best: { form: OfferedForm; score: number } | null = null;
  for (const { n, html } of pages) {
    // Fields outside of any form are sent by scripts; they are taken as one form of the page.
    const forms = [-1, ...html.elements.flatMap((element, at) => (element.name === 'form' ? [at] : []))];
    for (const at of forms) {
      const fields = fieldsOf(html, at);
      if (fields.size === 0) continue;
      const known = names.filter((name) => fields.has(name)).length / names.length;
      if (known < leastNames) continue;
      const action = html.elements[at]?.attributes['action'];
      const score =
        known +
        (action !== undefined && action !== '' && target.endsWith(action.split('?')[0]?.replace(/^.*:\/\/[^/]*/, '') ?? ' ') ? 0.3 : 0);
      if (!best || score > best.score + 0.01) best = { form: { page: n, fields }, score };
    }
    if (best && best.score >= 1) break;
  }
  return best?.form ?? null;
}
