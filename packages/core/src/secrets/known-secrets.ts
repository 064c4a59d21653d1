import { isSecretName, masked } from './masks.js';
import type { Environment } from '../environment/environment.schema.js';
import { secretsOf } from './kept-secrets.js';

/** Shorter ones are not looked for: they stand in many a text that has nothing to do with them. */
const shortest = 6;

const inPattern = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** A text in the wrappings in which secrets travel: as it is, in addresses and forms, in JSON, in base64. */
function spellings(secret: string): string[] {
  // Where a secret stands within a longer text in base64, what surrounds it changes its first and last signs.
  const inBase64 = [0, 1, 2].map((before) => {
    const encoded = base64('\0'.repeat(before) + secret);
    return encoded.slice(before === 0 ? 0 : before + 1).replace(/.?.?=*$/, '');
  });
  return [
    secret,
    encodeURIComponent(secret),
    encodeURIComponent(secret).replaceAll('%20', '+'),
    JSON.stringify(secret).slice(1, -1),
    ...inBase64.filter((encoded) => encoded.length >= shortest),
  ];
}

function base64(text: string): string {
  return btoa(String.fromCharCode(...new TextEncoder().encode(text)));
}

/** Texts of which it is known that they are secret, to be masked wherever they stand, whatever the place is called. */
export class KnownSecrets {
  readonly #pattern: RegExp | null;

  constructor(secrets: Iterable<string>) {
    const known = new Set<string>();
    for (const secret of secrets)
      if (secret.length >= shortest && secret !== masked) for (const spelling of spellings(wellFormed(secret))) known.add(spelling);
    const longestFirst = [...known].sort((left, right) => right.length - left.length);
    this.#pattern = longestFirst.length === 0 ? null : new RegExp(longestFirst.map(inPattern).join('|'), 'g');
  }

  /** A text with every known secret masked. */
  hide(text: string): string {
    return this.#pattern === null ? text : text.replace(this.#pattern, masked);
  }

  /** The known secrets that stand in a text, each as it is spelled there. */
  foundIn(text: string): string[] {
    return this.#pattern === null ? [] : [...new Set(text.match(this.#pattern))];
  }

  /** A document of plain data with the known secrets masked in all its texts. */
  hideIn<T>(document: T): T {
    if (this.#pattern === null) return document;
    if (typeof document === 'string') return this.hide(document) as T;
    if (Array.isArray(document)) return document.map((member: unknown) => this.hideIn(member)) as T;
    if (document === null || typeof document !== 'object') return document;
    return Object.fromEntries(Object.entries(document).map(([name, value]) => [name, this.hideIn(value as unknown)])) as T;
  }
}

/** Halves of signs cannot be encoded. */
const wellFormed = (text: string): string =>
  text.replace(/[\uD800-\uDBFF](?![\uDC00-\uDFFF])|(?<![\uD800-\uDBFF])[\uDC00-\uDFFF]/g, '\uFFFD');

/** The secrets of an environment: of its sign-ins, its upstream proxy, and the variables that are marked so. */
export function environmentSecrets(environment: Environment): string[] {
  const { credentials, upstreamProxy, variables, secretVariables } = environment;
  const proxy = URL.canParse(upstreamProxy) ? decodeURIComponent(new URL(upstreamProxy).password) : '';
  return [
    ...credentials.flatMap((credential) => Object.values(secretsOf(credential))),
    proxy,
    ...secretVariables.map((name) => variables[name] ?? ''),
  ].filter((spelling) => spelling !== '');
}

/** Fields of forms that browsers hide while one types (HTML standard, 4.10.5.1.6), by their names. */
export function passwordFields(html: string): string[] {
  return [...html.matchAll(/<input\b[^>]*>/gi)].flatMap(([tag]) => {
    if (!/\btype\s*=\s*["']?password\b/i.test(tag)) return [];
    const name = /\bname\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s>"']+))/i.exec(tag);
    return name ? [name[1] ?? name[2] ?? name[3] ?? ''] : [];
  });
}

/** What was sent in fields that are secret, by their names or because a page hides what is typed into them. */
export function secretsSent(body: string, mimeType: string, hiddenFields: ReadonlySet<string>): string[] {
  const isSecret = (name: string): boolean => hiddenFields.has(name) || isSecretName(name);
  if (/x-www-form-urlencoded/i.test(mimeType))
    return [...new URLSearchParams(body)].filter(([name]) => isSecret(name)).map(([, value]) => value);
  if (/json/i.test(mimeType)) {
    const found: string[] = [];
    try {
      JSON.parse(body, (name, value: unknown) => {
        if (typeof value === 'string' && isSecret(name)) found.push(value);
        return value;
      });
    } catch {
      // What is no JSON holds no named values.
    }
    return found;
  }
  if (/multipart\/form-data/i.test(mimeType))
    return [...body.matchAll(/name="([^"]+)"\r?\n(?:[^\r\n]+\r?\n)*\r?\n([^\r\n]*)/g)]
      .filter(([, name = '']) => isSecret(name))
      .map(([, , value = '']) => value);
  return [];
}
