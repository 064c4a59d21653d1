import { readChallenges } from '../sign-in/challenge.js';
import { readHtml } from '../answers/html.js';
import { bodyKind, headersOf, mediaType, pathAndQuery } from '../take/messages.js';
import type { RequestExchange, Warning } from '../take/take.schema.js';

const short = (exchange: RequestExchange): string => `${exchange.method} ${pathAndQuery(exchange.url).split('?')[0] ?? '/'}`;

/** True where a browser wrote down that it took the answer from its cache. */
function isFromCache({ harEntry }: RequestExchange): boolean {
  if (!harEntry) return false;
  if (harEntry['_fromCache'] != null || (typeof harEntry['_fetchType'] === 'string' && /cache/i.test(harEntry['_fetchType']))) return true;
  // Others have no field for it: the answer took no time and not one byte, though it has a size.
  const { headersSize, bodySize, content } = (harEntry['response'] ?? {}) as {
    headersSize?: number;
    bodySize?: number;
    content?: { size?: number };
  };
  return harEntry['time'] === 0 && headersSize === 0 && bodySize === 0 && (content?.size ?? 0) > 0;
}

/** What one exchange shows by itself that makes its take worth less. */
export function warningsOf(exchange: RequestExchange): Warning[] {
  const found: Warning[] = [];
  const warn = (kind: Warning['kind'], about: string, text: string) => found.push({ kind, about, text, exchange: exchange.n });
  const { response } = exchange;
  if (response?.status === 304 || isFromCache(exchange))
    warn(
      'cached',
      new URL(exchange.url).host,
      `${short(exchange)} came from the browser's cache, so the take does not hold what a new visitor gets. Record in the clean browser, or empty the cache and record again.`,
    );
  for (const [side, body] of [
    ['request', exchange.requestBody],
    ['response', response?.body],
  ] as const)
    if (body?.wholeSize !== undefined && body.wholeSize > body.size)
      warn(
        'cut-body',
        exchange.url,
        `The ${side} body of ${short(exchange)} has ${body.wholeSize.toLocaleString('en')} bytes; the take keeps the first ${body.size.toLocaleString('en')}. Values behind that are not found.`,
      );
  const schemes = readChallenges(headersOf(response?.headers ?? [], 'www-authenticate')).map((challenge) => challenge.scheme);
  if (response?.status === 401 && schemes.some((scheme) => scheme === 'ntlm' || scheme === 'negotiate'))
    warn(
      'connection-sign-in',
      new URL(exchange.url).origin,
      `${new URL(exchange.url).origin} asks for a sign-in by ${schemes.includes('ntlm') ? 'NTLM' : 'Negotiate'}, which holds for a connection and cannot be replayed from a take. Give user and password in the environment; recorder, rehearsal and run then sign in by themselves.`,
    );
  return found;
}

/** Addresses of files that a page names and every browser asks for: style sheets, scripts, images. */
export function filesNamedBy(html: string, pageUrl: string): string[] {
  const named = readHtml(html).elements.flatMap(({ name, attributes }) => {
    if (name === 'link') return /(^|\s)stylesheet(\s|$)/i.test(attributes['rel'] ?? '') ? [attributes['href']] : [];
    if (name === 'script' || name === 'img') return attributes['loading'] === 'lazy' ? [] : [attributes['src']];
    return [];
  });
  const found = new Set<string>();
  for (const address of named) {
    if (!address || !URL.canParse(address, pageUrl)) continue;
    const url = new URL(address, pageUrl);
    url.hash = '';
    if (url.protocol.startsWith('http')) found.add(url.href);
  }
  return [...found];
}

/** The warning about files of a page that nobody asked for; null where all were. `asked` holds every address of the take. */
export function filesNotAsked(page: RequestExchange, html: string, asked: ReadonlySet<string>): Warning | null {
  const { origin } = new URL(page.url);
  const missing = filesNamedBy(html, page.url).filter((url) => new URL(url).origin === origin && !asked.has(url));
  const [first] = missing;
  if (first === undefined) return null;
  return {
    kind: 'not-asked',
    about: missing.join(' '),
    text: `The page ${pathAndQuery(page.url)} names ${missing.length === 1 ? 'a file' : `${missing.length} files`} that the browser never asked for (${pathAndQuery(first)}${missing.length > 1 ? ' and others' : ''}): it had ${missing.length === 1 ? 'it' : 'them'} in its cache. Record in the clean browser, or empty the cache and record again.`,
    exchange: page.n,
  };
}

/** True for a page that was answered in full. */
export const isPage = (exchange: RequestExchange): boolean =>
  exchange.response?.status === 200 && bodyKind(mediaType(exchange.response.headers)) === 'html';
