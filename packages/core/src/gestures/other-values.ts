import { containerNumber, isContainerNumber } from '../data/container-number.js';
import { gs1CheckDigit, iban } from '../data/check-digits.js';

/** Draws numbers from 0 to below 1. */
type Random = () => number;

/** Lengths of GS1 numbers: GTIN-8, -12, -13, -14 and SSCC. */
const gs1Lengths = [8, 12, 13, 14, 18];
const vowels = 'aeiou';
const consonants = 'bcdfghklmnprstvw';

/**
 * Another text of the same form and length as one that a person typed, so that two takes tell what follows from it: check digits are right again, days stay
 * days, a number stays near to what it was, letters stay letters. The text itself where nothing of it can be changed.
 */
export function otherText(text: string, random: Random): string {
  const trimmed = text.trim();
  if (trimmed !== text) return text.replace(trimmed, () => otherText(trimmed, random));
  for (const makeOther of [otherContainer, otherIban, otherGs1, otherDay, otherTime, otherNumber])
    for (let tries = 0; tries < 8; tries++) {
      const other = makeOther(text, random);
      if (other === null) break;
      if (other !== text) return other;
    }
  return otherSigns(text, random);
}

const digitsOf = (count: number, random: Random): string => Array.from({ length: count }, () => Math.floor(10 * random())).join('');

function otherContainer(text: string, random: Random): string | null {
  return isContainerNumber(text) ? containerNumber(text.slice(0, 4), Math.floor(1_000_000 * random())) : null;
}

function otherIban(text: string, random: Random): string | null {
  const plain = text.replaceAll(' ', '');
  if (!/^[A-Z]{2}\d{2}[0-9A-Z]{10,30}$/.test(plain) || iban(plain.slice(0, 2), plain.slice(4)) !== plain) return null;
  // The bank stays: an account of another bank may be refused.
  const account = plain.slice(4, 12) + plain.slice(12).replace(/\d/g, () => digitsOf(1, random));
  const other = iban(plain.slice(0, 2), account);
  return text.includes(' ') ? (other.match(/.{1,4}/g) ?? []).join(' ') : other;
}

function otherGs1(text: string, random: Random): string | null {
  if (!/^\d+$/.test(text) || !gs1Lengths.includes(text.length) || gs1CheckDigit(text.slice(0, -1)) !== text.at(-1)) return null;
  const body = text.slice(0, -4) + digitsOf(3, random);
  return body + gs1CheckDigit(body);
}

/** Another day of the same month: all months have 28. */
function otherDay(text: string, random: Random): string | null {
  const day = String(1 + Math.floor(28 * random())).padStart(2, '0');
  if (/^\d{4}-(0[1-9]|1[0-2])-\d{2}(T.*)?$/.test(text)) return text.slice(0, 8) + day + text.slice(10);
  if (/^\d{1,2}\.\d{1,2}\.\d{2,4}$/.test(text))
    return text.replace(/^\d{1,2}/, /^0?\d\./.test(text) && !text.startsWith('0') ? String(Number(day)) : day);
  // Which of the two is the day cannot be told, so both stay what both may be.
  const slashed = /^(\d{1,2})\/(\d{1,2})\/(\d{2,4})$/.exec(text);
  if (slashed) {
    const [, first = '', second = '', year = ''] = slashed;
    if (Number(first) > 12) return `${day}/${second}/${year}`;
    if (Number(second) > 12) return `${first}/${day}/${year}`;
    const either = String(1 + Math.floor(12 * random()));
    return `${either.padStart(first.length, '0')}/${either.padStart(second.length, '0')}/${year}`;
  }
  return null;
}

function otherTime(text: string, random: Random): string | null {
  return /^([01]?\d|2[0-3]):[0-5]\d(:[0-5]\d)?$/.test(text)
    ? text.replace(/:[0-5]\d/, `:${String(Math.floor(60 * random())).padStart(2, '0')}`)
    : null;
}

/** A number within a fifth of what it was, with as many digits; small ones differ by one or two. Zeros in front make it a code. */
function otherNumber(text: string, random: Random): string | null {
  const match = /^([+-]?)([1-9]\d*|0)([.,]\d+)?$/.exec(text);
  if (!match) return null;
  const [, sign = '', whole = '0', fraction = ''] = match;
  const value = Number(whole);
  if (value === 0 && fraction === '') return null;
  const most = Math.min(10 ** whole.length - 1, value + Math.max(2, Math.floor(value / 5)));
  const least = Math.max(whole.length === 1 ? 1 : 10 ** (whole.length - 1), value - Math.max(2, Math.floor(value / 5)));
  const other = Math.min(most, least + Math.floor((most - least + 1) * random()));
  const decimals = fraction === '' ? '' : fraction.charAt(0) + digitsOf(fraction.length - 1, random);
  return `${sign}${value === 0 ? '0' : other}${decimals}`;
}

/** Digits become other digits; words without digits become other words. Addresses keep the host to which they lead. */
function otherSigns(text: string, random: Random): string {
  // Where an address leads stays: what is behind it may be looked at.
  const place = /^[a-z][a-z\d+.-]*:\/\/[^/]+/i.exec(text)?.[0];
  if (place !== undefined) return place + otherSigns(text.slice(place.length), random);
  const at = text.indexOf('@');
  if (at > 0) return otherSigns(text.slice(0, at), random) + text.slice(at);
  if (/\d/.test(text)) {
    let first = true;
    return text.replace(/\d/g, (digit) => {
      const other = (Number(digit) + 1 + Math.floor(9 * random())) % 10;
      const kept = first && other === 0 && digit !== '0' ? Number(digit) : other;
      first = false;
      return String(kept);
    });
  }
  return text.replace(/[a-z]/gi, (letter) => {
    const small = letter.toLowerCase();
    const alike = (vowels.includes(small) ? vowels : consonants).replace(small, '');
    const other = alike.charAt(Math.floor(alike.length * random()));
    return letter === small ? other : other.toUpperCase();
  });
}
