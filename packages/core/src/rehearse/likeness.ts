import { looksLikeId } from '../take/messages.js';
import type { AnswerText } from '../answers/response-view.js';

/**
 * What an answer is made of, without its values: tag paths of pages, key paths of JSON, element names of XML. Only kinds count: the items
 * of a list stand for one item that has the members of all of them.
 */
interface Structure {
  features: Set<string>;
  /** Places that hold nothing here but may hold anything: empty lists and null members. */
  open: string[];
}

const deepest = 32;
const mostItems = 200;

/** A member whose name is an id is one of a kind, as an item of a list is. */
const memberOf = (key: string): string => (looksLikeId(key) ? '*' : key);

function jsonStructure(root: unknown): Structure {
  const features = new Set<string>();
  const open: string[] = [];
  const walk = (value: unknown, path: string, depth: number): void => {
    features.add(path);
    if (depth > deepest) return;
    if (Array.isArray(value)) {
      if (value.length === 0) open.push(`${path}[]`);
      for (const item of value.slice(0, mostItems)) walk(item, `${path}[]`, depth + 1);
    } else if (value !== null && typeof value === 'object') {
      const entries = Object.entries(value);
      if (entries.length === 0) open.push(path);
      for (const [key, inner] of entries) walk(inner, `${path}.${memberOf(key)}`, depth + 1);
    } else if (value === null) open.push(path);
  };
  walk(root, '$', 0);
  return { features, open };
}

/** Elements that stand as often as there are things to show. */
const isRepeated = /^(tr|li|option|article|dd|dt|tbody)$/;

function htmlStructure(view: AnswerText): Structure {
  const features = new Set<string>();
  const { elements } = view.html;
  const rowOf = new Map<number, string>();
  for (const element of elements) if (element.row >= 0 && !rowOf.has(element.row)) rowOf.set(element.row, element.name);
  const outside = elements.filter(
    (element) => !isRepeated.test(element.name) && (element.row < 0 || !isRepeated.test(rowOf.get(element.row) ?? '')),
  );
  const names = outside.map((element) => element.name);
  for (let at = 0; at + 2 < names.length || at === 0; at++) if (names.length > 0) features.add(names.slice(at, at + 3).join('>'));
  // Rows also lay out forms, so the fields in them count.
  for (const { name, attributes } of elements)
    if (attributes['name'] && /^(input|select|textarea|form|meta)$/.test(name))
      features.add(`${name}:${attributes['name'].replace(/\d+/g, '#')}`);
  return { features, open: [] };
}

function structureOf(view: AnswerText): Structure {
  if (view.kind === 'html') return htmlStructure(view);
  if (view.kind === 'json' && view.json !== undefined) return jsonStructure(view.json);
  const features = new Set<string>();
  if (view.kind === 'xml') for (const match of view.body.slice(0, 1_000_000).matchAll(/<([A-Za-z][\w:-]*)/g)) features.add(match[1] ?? '');
  return { features, open: [] };
}

const isUnder = (feature: string, places: readonly string[]): boolean =>
  places.some((place) => feature !== place.replace(/\[\]$/, '') && feature.startsWith(place));

/**
 * Structural likeness of an answer to those that were good, 0 to 1. What differs between good answers is no difference: what all of them
 * have must be there, and what none of them has is strange (the Jaccard index, Jaccard 1901, over these two). An empty list fits any.
 */
export function likenessOf(good: AnswerText | readonly AnswerText[], replayed: AnswerText): number {
  const references = (Array.isArray(good) ? (good as readonly AnswerText[]) : [good as AnswerText]).filter(
    (view) => view.body !== '' || replayed.body === '',
  );
  if (references.length === 0) return 1;
  const alike = references.filter((reference) => reference.kind === replayed.kind);
  if (alike.length === 0) return 0;
  const structure = structureOf(replayed);
  const all = alike.map(structureOf);
  const open = [...structure.open, ...all.flatMap((inner) => inner.open)];
  const counts = new Map<string, number>();
  for (const { features } of all) for (const feature of features) counts.set(feature, (counts.get(feature) ?? 0) + 1);
  let [shared, missing, strange] = [0, 0, 0];
  for (const [feature, count] of counts)
    if (structure.features.has(feature)) shared++;
    else if (count === all.length && !isUnder(feature, open)) missing++;
  for (const feature of structure.features) if (!counts.has(feature) && !isUnder(feature, open)) strange++;
  const whole = shared + missing + strange;
  return whole === 0 ? 1 : shared / whole;
}
