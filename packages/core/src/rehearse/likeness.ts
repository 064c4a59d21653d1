import type { ResponseView } from '../script/response-view.js';

/** Features of a response's structure that hold no values: tag paths of pages, key paths of JSON, element names of XML. */
function features(response: ResponseView): Set<string> {
  const found = new Set<string>();
  if (response.kind === 'html') {
    const names = response.html.elements.map((one) => one.name);
    for (let at = 0; at < names.length; at++) found.add(names.slice(at, at + 3).join('>'));
    for (const { name, attributes } of response.html.elements)
      if (attributes['name'] && /^(input|select|textarea|form|meta)$/.test(name)) found.add(`${name}:${attributes['name']}`);
  } else if (response.kind === 'json') {
    const walk = (value: unknown, path: string, depth: number) => {
      found.add(path);
      if (depth > 32) return;
      if (Array.isArray(value))
        value.slice(0, 200).forEach((item) => {
          walk(item, `${path}[]`, depth + 1);
        });
      else if (value !== null && typeof value === 'object')
        for (const [key, inner] of Object.entries(value)) walk(inner, `${path}.${key}`, depth + 1);
    };
    walk(response.json, '$', 0);
  } else for (const match of response.body.slice(0, 1_000_000).matchAll(/<([A-Za-z][\w:-]*)/g)) found.add(match[1] ?? '');
  return found;
}

/** Structural likeness of two responses, 0 to 1: the Jaccard index (Jaccard 1901) of their features. */
export function likenessOf(left: ResponseView, right: ResponseView): number {
  if (left.kind !== right.kind) return 0;
  const a = features(left);
  const b = features(right);
  if (a.size === 0 && b.size === 0) return 1;
  let shared = 0;
  for (const one of a) if (b.has(one)) shared++;
  return shared / (a.size + b.size - shared);
}
