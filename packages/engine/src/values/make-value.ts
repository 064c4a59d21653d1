import { containerNumber, type GeneratedValue } from '@sturdy/core';
import type { Scope } from './scope.js';

/** A value as a client invents it, in the form in which it was recorded. */
export function makeValue(value: GeneratedValue, scope: Scope): string {
  const { recorded } = value;
  switch (value.made) {
    case 'epoch-ms':
      return String(Math.round(scope.nowMs()));
    case 'epoch-s':
      return String(Math.floor(scope.nowMs() / 1000));
    case 'epoch-us':
      return String(Math.round(scope.nowMs() * 1000));
    case 'epoch-fraction':
      return (scope.nowMs() / 1000).toFixed(recorded.split('.')[1]?.length ?? 3);
    case 'ticks':
      // The year 1 began 62135596800 s before 1970 (proleptic Gregorian calendar); a tick is 100 ns.
      return String(BigInt(Math.round(scope.nowMs())) * 10_000n + 621_355_968_000_000_000n);
    case 'iso-time':
      return isoLike(recorded, scope.nowMs());
    case 'http-date':
      return new Date(scope.nowMs()).toUTCString();
    case 'counter':
      return count(value, scope);
    case 'guid':
      return keep(value, scope, () => {
        const guid = randomGuid(scope.fresh);
        return /[A-F]/.test(recorded) ? guid.toUpperCase() : guid;
      });
    case 'container-number':
      return keep(value, scope, () => containerNumber(recorded.slice(0, 4), Math.floor(scope.fresh() * 1_000_000)));
    case 'random-digits':
      return keep(value, scope, () =>
        recorded.replace(/(?<!^)\d|^[1-9]/g, (digit, at) =>
          String(at === 0 ? 1 + Math.floor(scope.fresh() * 9) : Math.floor(scope.fresh() * 10)),
        ),
      );
    case 'unique-text':
      // Before the @ of an address, else at the end.
      return keep(value, scope, () =>
        recorded.replace(
          /(?=@)|$/,
          Math.floor(scope.fresh() * 36 ** 5)
            .toString(36)
            .padStart(5, '0'),
        ),
      );
    case 'random-text':
    case 'verifier':
      return keep(value, scope, () => recorded.replace(/[A-Za-z0-9]/g, (sign) => randomLike(sign, scope.fresh)));
  }
}

/** A sign of the same kind, so that a token keeps its alphabet: hex digits stay hex digits. */
function randomLike(sign: string, random: () => number): string {
  const [first, size] = /\d/.test(sign)
    ? ['0', 10]
    : /[a-f]/.test(sign)
      ? ['a', 6]
      : /[A-F]/.test(sign)
        ? ['A', 6]
        : /[a-z]/.test(sign)
          ? ['a', 26]
          : ['A', 26];
  return String.fromCharCode(first.charCodeAt(0) + Math.floor(random() * size));
}

/** The time in the form in which it was recorded: with or without a fraction, a zone, the sign between date and time. */
function isoLike(recorded: string, nowMs: number): string {
  const match = /^\d{4}-\d\d-\d\d([T ])\d\d:\d\d(:\d\d(?:\.(\d+))?)?(Z|[+-]\d\d:?\d\d)?$/.exec(recorded);
  const [, between = 'T', seconds, fraction, zone = ''] = match ?? [];
  const offset = /([+-])(\d\d):?(\d\d)/.exec(zone);
  const shiftMs = offset ? (offset[1] === '-' ? -1 : 1) * (Number(offset[2]) * 60 + Number(offset[3])) * 60_000 : 0;
  const iso = new Date(nowMs + shiftMs).toISOString();
  const digits =
    seconds === undefined
      ? ''
      : fraction === undefined
        ? iso.slice(16, 19)
        : `${iso.slice(16, 19)}.${iso.slice(20, 23).padEnd(fraction.length, '0').slice(0, fraction.length)}`;
  return iso.slice(0, 10) + between + iso.slice(11, 16) + digits + zone;
}

/** One more than at the last use in this iteration, from what was recorded at the first. */
function count(value: GeneratedValue, scope: Scope): string {
  const before = scope.made.get(value.id);
  const next = before === undefined ? value.recorded : String(BigInt(before) + 1n);
  scope.made.set(value.id, next);
  return next;
}

function keep(value: GeneratedValue, scope: Scope, make: () => string): string {
  const known = scope.made.get(value.id);
  if (known !== undefined) return known;
  const fresh = make();
  scope.made.set(value.id, fresh);
  return fresh;
}

/** A random UUID, version 4 (RFC 9562, 5.4), from the user's own random stream. */
function randomGuid(random: () => number): string {
  const digits = Array.from({ length: 32 }, () => Math.floor(random() * 16).toString(16));
  digits[12] = '4';
  digits[16] = '89ab'[Math.floor(random() * 4)] ?? '8';
  const text = digits.join('');
  return `${text.slice(0, 8)}-${text.slice(8, 12)}-${text.slice(12, 16)}-${text.slice(16, 20)}-${text.slice(20)}`;
}
