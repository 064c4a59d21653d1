import { customType } from 'drizzle-orm/pg-core';

// PostgreSQL holds every text of Unicode but U+0000 (its manual, 8.3), and no half of a surrogate pair in a document (8.14). Both come from
// outside: a frame of STOMP ends in NUL, and a script may cut an emoji in two. They are kept under an escape, a sign that is for private use and
// so stands for nothing, and come back as they were.
const escape = '\uf8fe';
// eslint-disable-next-line no-control-regex -- NUL is just what is looked for
const notStorable = /[\u0000\uf8fe]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;
const escaped = /\uf8fe([0-9a-f]{4})/g;

/** A text as the database holds it. */
export const storedText = (text: string): string =>
  text.replace(notStorable, (sign) => escape + sign.charCodeAt(0).toString(16).padStart(4, '0'));

/** A text as it was before it was stored. */
export const readText = (text: string): string =>
  text.includes(escape) ? text.replace(escaped, (_, code: string) => String.fromCharCode(parseInt(code, 16))) : text;

/** A document with all its texts and names changed; the same one where nothing has to be. */
function changed(value: unknown, change: (text: string) => string): unknown {
  if (typeof value === 'string') return change(value);
  if (typeof value !== 'object' || value === null) return value;
  if (Array.isArray(value)) {
    let copy: unknown[] | undefined;
    value.forEach((item: unknown, at) => {
      const next = changed(item, change);
      if (next !== item) (copy ??= [...(value as unknown[])])[at] = next;
    });
    return copy ?? value;
  }
  const before = Object.entries(value);
  const after = before.map(([key, item]): [string, unknown] => [change(key), changed(item, change)]);
  const isSame = after.every(([key, item], at) => key === before[at]?.[0] && item === before[at][1]);
  // A member called __proto__ is one like any other.
  return isSame ? value : Object.fromEntries(after);
}

/** A document as JSON that the database holds. */
export const storedJson = (value: unknown): string => JSON.stringify(changed(value, storedText));

/** A document, or a row of a query, as it was before it was stored. */
export const readDocument = <T>(value: T): T => changed(value, readText) as T;

/** A column of texts. */
export const text = customType<{ data: string; driverData: string }>({
  dataType: () => 'text',
  toDriver: storedText,
  fromDriver: readText,
});

/** A column of documents; they are validated with their Zod schemas when they are read back. */
export const document = customType<{ data: unknown; driverData: unknown }>({
  dataType: () => 'jsonb',
  toDriver: storedJson,
  fromDriver: (value) => readDocument(typeof value === 'string' ? (JSON.parse(value) as unknown) : value),
});
