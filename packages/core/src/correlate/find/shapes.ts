import type { GeneratedValue } from '../../script/script.schema.js';
import { isContainerNumber } from '../../data/container-number.js';

const tellingName =
  /csrf|xsrf|token|nonce|state|verifier|session|sess|sid|ticket|key|secret|stamp|version|rev(ision)?|etag|match|guid|uuid|draft|seal|signature|sig$|auth|code$|cursor|twin|hash/i;

/** Names of what belongs to a visit or a page, and not to a thing: tokens, keys, states. */
export const isTokenName = (name: string): boolean =>
  /csrf|xsrf|token|nonce|state$|verifier|session|sess$|^sid$|ticket|secret|stamp|etag|version|seal|signature|auth|cursor|hash|cookie/i.test(
    name.replace(/ \d+$/, ''),
  );

/** Why a value looks as if a server made it for this visit alone, in a few words; null where nothing says so. */
export function dynamicShape(name: string, value: string): string | null {
  if (/^[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}$/i.test(value)) return 'it is a UUID';
  if (/^eyJ[\w-]+\.[\w-]+\.[\w-]*$/.test(value)) return 'it is a signed web token (JWT)';
  if (/^[\w+/=-]{200,}(\.[\w+/=-]+)*$/.test(value)) return 'it is a long encoded block';
  if (/^[a-z][a-z0-9+.-]*:\/\//i.test(value) || /^(\d{1,3}\.){3}\d{1,3}(:\d+)?$/.test(value)) return null;
  if (value.length >= 6 && tellingName.test(name) && /\d|[a-z][A-Z]/.test(value)) return `its name “${name}” and its form say so`;
  if (value.length >= 10 && bitsPerSign(value) > 3 && /\d/.test(value) && /[a-z]/i.test(value) && !/\s/.test(value) && !isReadable(value))
    return 'it is a mix of letters and digits as tokens are';
  return null;
}

/** Dates, addresses, versions, file names: letters and digits that people read. */
const isReadable = (value: string): boolean =>
  /^\d{4}-\d\d-\d\d|^[\w.+-]+@[\w-]+\.[\w.-]+$|^(https?:)?\/\/?[\w.-]+(:\d+)?(\/[\w.-]*)*$|^[\w-]+(\.[a-z]{2,5})$/i.test(value) ||
  /^([A-Za-z][a-z]+|\d{1,4}|[A-Z]{2,})([-_. /]([A-Za-z][a-z]+|\d{1,4}|[A-Z]{2,}))*$/.test(value);

/** Names that say a value names a thing: `id`, `post_ID`, `fields[id]`, `rowId`. */
export const namesThing = (name: string): boolean =>
  /(^|[^A-Za-z])(id|ID|uuid|guid)\]?$|[a-z](Id|ID)\]?$|(^|[^A-Za-z])[a-z]{1,2}id\]?$/.test(name);

/** Shannon entropy in bits a sign (Shannon 1948). */
export function bitsPerSign(text: string): number {
  const counts = new Map<string, number>();
  for (const sign of text) counts.set(sign, (counts.get(sign) ?? 0) + 1);
  let bits = 0;
  for (const count of counts.values()) bits -= (count / text.length) * Math.log2(count / text.length);
  return bits;
}

/** A generator for a typed value that must be new each time: after its published standard where it has one, else the text with a new end. */
export function freshKind(value: string): { made: GeneratedValue['made']; reason: string } {
  if (isContainerNumber(value))
    return { made: 'container-number', reason: 'it is a container number after ISO 6346, so a new one can be made' };
  if (/^\d{4,}$/.test(value)) return { made: 'random-digits', reason: 'it is a number, so another of the same length can be drawn' };
  return {
    made: 'unique-text',
    reason: 'it is a text, so it can be sent with another end each time. Bind it to data where its form matters',
  };
}
