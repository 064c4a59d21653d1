import type { RequestExchange, Header } from './take.schema.js';

/** First value of a header, by name without regard to case. */
export function headerOf(headers: readonly Header[], name: string): string | undefined {
  const wanted = name.toLowerCase();
  return headers.find(([headerName]) => headerName.toLowerCase() === wanted)?.[1];
}

/** All values of a header, by name without regard to case. */
export function headersOf(headers: readonly Header[], name: string): string[] {
  const wanted = name.toLowerCase();
  return headers.filter(([headerName]) => headerName.toLowerCase() === wanted).map(([, value]) => value);
}

/** Media type without parameters, in lower case; empty where there is none (RFC 9110, 8.3). */
export function mediaType(headers: readonly Header[]): string {
  return (headerOf(headers, 'content-type') ?? '').split(';')[0]?.trim().toLowerCase() ?? '';
}

/** What a body is, as far as reading it matters. */
export type BodyKind = 'html' | 'json' | 'xml' | 'form' | 'multipart' | 'script' | 'text' | 'binary';

export function bodyKind(type: string): BodyKind {
  if (type === 'text/html' || type === 'application/xhtml+xml') return 'html';
  if (type === 'application/json' || type.endsWith('+json')) return 'json';
  if (type === 'text/xml' || type === 'application/xml' || type.endsWith('+xml')) return 'xml';
  if (type === 'application/x-www-form-urlencoded') return 'form';
  if (type.startsWith('multipart/')) return 'multipart';
  if (/javascript|ecmascript/.test(type)) return 'script';
  if (type.startsWith('text/')) return 'text';
  return 'binary';
}

/** Files that a page pulls in and that carry no state: styles, scripts, images, fonts. */
export function isStaticFile(exchange: RequestExchange): boolean {
  if (exchange.method !== 'GET') return false;
  const type = exchange.response ? mediaType(exchange.response.headers) : '';
  if (/^(image|font|audio|video)\//.test(type) || type === 'text/css' || bodyKind(type) === 'script') return true;
  return isFilePath(new URL(exchange.url).pathname);
}

/** True for a path, with or without a query, that ends like those of files that pages pull in. */
export const isFilePath = (path: string): boolean => /\.(css|js|mjs|png|jpe?g|gif|svg|ico|webp|avif|woff2?|ttf|otf|map)(\?|$)/i.test(path);

/** Path and query of a URL as they stood on the wire. */
export function pathAndQuery(url: string): string {
  const match = /^[a-z][a-z0-9+.-]*:\/\/[^/?#]*([^#]*)/i.exec(url);
  const rest = match?.[1] ?? '/';
  return rest.startsWith('/') ? rest : `/${rest}`;
}

/**
 * The shape of a path: parts that look like ids become `*`, the query keeps only its names.
 * `/intakes/20418?a=1` and `/intakes/20977?a=7` have the same shape.
 */
export function pathShape(target: string): string {
  const [path = '', query = ''] = target
    .replace(/^[a-z][a-z0-9+.-]*:\/\/[^/?#]*/i, '')
    .replace(/#.*$/, '')
    .split('?');
  const parts = path.split('/').map((part) => (looksLikeId(part) ? '*' : part));
  const names = query
    .split('&')
    .filter(Boolean)
    .map((pair) => pair.split('=')[0] ?? '')
    .sort();
  return parts.join('/') + (names.length > 0 ? `?${names.join('&')}` : '');
}

/** True for a path segment that is more likely an id than a name: digits, UUIDs, tokens of mixed signs. */
export function looksLikeId(part: string): boolean {
  if (part.length === 0) return false;
  if (/^\d+$/.test(part)) return true;
  if (/^[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}$/i.test(part)) return true;
  if (part.length < 8 || /\.[a-z]{2,5}$/i.test(part)) return false;
  if (/\d/.test(part) && /[a-z]/i.test(part)) return true;
  // Tokens without a digit change between capitals and small letters far more often than names in camel case do.
  const changes = Array.from(part).filter((sign, at) => at > 0 && /[A-Z]/.test(sign) !== /[A-Z]/.test(part[at - 1] ?? '')).length;
  return part.length >= 10 && changes >= 0.4 * (part.length - 1);
}

/** True for a path segment that is a name: words, perhaps joined, as `sign-in` or `Index.html`. */
export const isPlainWord = (part: string): boolean => /^[A-Za-z]?[a-z]+([-_.][A-Za-z]?[a-z]+)*$/.test(part);

/** True where a redirect leads to a place of the given shape; `*` in the shape stands for any one segment. */
export function leadsTo(shape: string, target: string): boolean {
  // Where on a page a redirect leads to is no matter of the page (RFC 9110, 10.2.2).
  const [wantedPath = '', wantedQuery = ''] = shape.replace(/#.*$/, '').split('?');
  const [path = '', query = ''] = pathShape(target).split('?');
  const raw = target.replace(/^[a-z][a-z0-9+.-]*:\/\/[^/?#]*/i, '').split(/[?#]/)[0] ?? '';
  const wanted = wantedPath.split('/');
  const found = raw.split('/');
  const shaped = path.split('/');
  return (
    wantedQuery === query &&
    wanted.length === found.length &&
    wanted.every((part, at) => part === found[at] || part === shaped[at] || (part === '*' && (found[at] ?? '') !== ''))
  );
}

/**
 * The shape that allows both ways of a redirect: segments that differ become `*`. Null where the two differ in more than that, or
 * where a name differs from a name, as that is another place.
 */
export function commonShape(shape: string, target: string): string | null {
  const [wantedPath = '', wantedQuery = ''] = shape.split('?');
  const [, query = ''] = pathShape(target).split('?');
  const wanted = wantedPath.split('/');
  const found = (target.replace(/^[a-z][a-z0-9+.-]*:\/\/[^/?#]*/i, '').split(/[?#]/)[0] ?? '').split('/');
  if (wantedQuery !== query || wanted.length !== found.length) return null;
  const parts = wanted.map((part, at) =>
    part === found[at] || part === '*' ? part : isPlainWord(part) || isPlainWord(found[at] ?? '') ? null : '*',
  );
  return parts.includes(null) ? null : parts.join('/') + (wantedQuery === '' ? '' : `?${wantedQuery}`);
}

/** A title with its moving parts (words that hold a digit) masked, so that two visits of a page compare equal. */
export function textShape(text: string): string {
  return text
    .replace(/\S*\d\S*/g, '*')
    .replace(/\s+/g, ' ')
    .trim();
}

/** True where a title is of the given shape; `*` stands for any words. */
export function fitsTitle(shape: string, title: string): boolean {
  const shapeOfTitle = textShape(title);
  if (shapeOfTitle === shape) return true;
  if (!shape.includes('*')) return false;
  const pattern = shape
    .split('*')
    .map((part) => part.replace(/[\\^$.|?+()[\]{}]/g, '\\$&'))
    .join('.+');
  const fits = new RegExp(`^${pattern}$`, 'u');
  // A word with a digit in it may hold a part of the shape.
  return fits.test(shapeOfTitle) || fits.test(title.replace(/\s+/g, ' ').trim());
}

/** The shape of two titles of one page: words that differ become `*`. Null where they are too different to be those of one page. */
export function commonTitle(shape: string, title: string): string | null {
  const [left, right] = [shape.split(' '), textShape(title).split(' ')];
  if (left.length !== right.length) return null;
  const words = left.map((word, at) => (word === right[at] ? word : '*'));
  return words.every((word) => word === '*') && left.length > 1 ? null : words.join(' ');
}

/**
 * Where the last redirect of a chain leads, from the address that was asked for first; undefined where nothing redirects. A
 * Location may be relative to the address that answered (RFC 9110, 10.2.2).
 */
export function redirectTarget(askedFor: string, answers: readonly { headers: readonly Header[] }[]): string | undefined {
  let at = askedFor;
  let target: string | undefined;
  for (const { headers } of answers) {
    const location = headerOf(headers, 'location');
    if (location === undefined) continue;
    at = resolveReference(location, at)?.href ?? location;
    target = at;
  }
  return target;
}

/** The address that a reference in a message leads to, such as a Location (RFC 3986, 5.2; undefined where it is none). */
export function resolveReference(reference: string, base: string): URL | undefined {
  return URL.canParse(reference, base) ? new URL(reference, base) : undefined;
}
