import type { Exchange, Take } from '../take/take.schema.js';
import type { Made } from '../script/script.schema.js';
import { isContainerNumber } from '../data/container-number.js';

const tellingName =
  /csrf|xsrf|token|nonce|state|verifier|session|sess|sid|ticket|key|secret|stamp|version|rev(ision)?|etag|match|guid|uuid|draft|seal|signature|sig$|auth|code$|cursor|twin|hash/i;

/** Why a value looks as if a server made it for this visit alone, in a few words; null where nothing says so. */
export function dynamicShape(name: string, value: string): string | null {
  if (/^[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}$/i.test(value)) return 'it is a UUID';
  if (/^eyJ[\w-]+\.[\w-]+\.[\w-]*$/.test(value)) return 'it is a signed web token (JWT)';
  if (/^[\w+/=-]{200,}(\.[\w+/=-]+)*$/.test(value)) return 'it is a long encoded block';
  if (value.length >= 6 && tellingName.test(name) && /\d|[a-z][A-Z]/.test(value)) return `its name “${name}” and its form say so`;
  if (value.length >= 10 && bitsPerSign(value) > 3 && /\d/.test(value) && /[a-z]/i.test(value) && !/\s/.test(value))
    return 'it is a mix of letters and digits as tokens are';
  return null;
}

/** Shannon entropy in bits a sign (Shannon 1948). */
export function bitsPerSign(text: string): number {
  const counts = new Map<string, number>();
  for (const sign of text) counts.set(sign, (counts.get(sign) ?? 0) + 1);
  let bits = 0;
  for (const count of counts.values()) bits -= (count / text.length) * Math.log2(count / text.length);
  return bits;
}

const nearMs = 60 * 60_000;

/** The kind of a value that the client invents, judged by its form and the time of its exchange. */
export function madeKind(value: string, take: Take, exchange: Exchange): { made: Made['made']; reason: string } | null {
  const nowMs = Date.parse(take.startedAt) + exchange.startedAtMs;
  if (/^\d{13}$/.test(value) && Math.abs(Number(value) - nowMs) < nearMs)
    return { made: 'epoch-ms', reason: 'No response gave it, and it is the time of the request in milliseconds since 1970.' };
  if (/^\d{10}$/.test(value) && Math.abs(Number(value) * 1000 - nowMs) < nearMs)
    return { made: 'epoch-s', reason: 'No response gave it, and it is the time of the request in seconds since 1970.' };
  if (/^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:?\d\d)$/.test(value) && Math.abs(Date.parse(value) - nowMs) < nearMs)
    return { made: 'iso-time', reason: 'No response gave it, and it is the time of the request (ISO 8601).' };
  if (/^[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}$/i.test(value))
    return { made: 'guid', reason: 'It is a UUID that no response gave, so the client made it.' };
  return null;
}

/** A generator for a typed value that must be new each time, where its form follows a published standard. */
export function freshKind(value: string): { made: Made['made']; reason: string } | null {
  return isContainerNumber(value)
    ? { made: 'container-number', reason: 'it is a container number after ISO 6346, so a new one can be made' }
    : null;
}
