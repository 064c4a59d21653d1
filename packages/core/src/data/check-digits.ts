/** Value of a digit or capital letter, 0 to 35. */
const signValue = (sign: string): number => parseInt(sign, 36);
const digitsAndLetters = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ';

function mustBe(text: string, form: RegExp, what: string): void {
  if (!form.test(text)) throw new Error(`“${text}” holds other signs than ${what}.`);
}

/** The check digit of a GS1 number (GTIN, SSCC, GLN): modulo 10 with weights 3 and 1 from the right (GS1 General Specifications, 7.9). */
export function gs1CheckDigit(digits: string): string {
  mustBe(digits, /^\d+$/, 'digits');
  let sum = 0;
  for (let at = 0; at < digits.length; at++) sum += Number(digits.at(-1 - at)) * (at % 2 === 0 ? 3 : 1);
  return String((10 - (sum % 10)) % 10);
}

/** The systems of ISO/IEC 7064 that are offered. */
export const iso7064Systems = ['mod 11-2', 'mod 37-2', 'mod 97-10', 'mod 11,10', 'mod 37,36'] as const;
export type Iso7064System = (typeof iso7064Systems)[number];

/** Remainder of a long number, digit by digit. */
const remainder = (digits: string, modulus: number): number => {
  let rest = 0;
  for (const digit of digits) rest = (rest * 10 + Number(digit)) % modulus;
  return rest;
};

/** The check characters of a text after a system of ISO/IEC 7064:2003: pure systems (modulus and radix), hybrid ones (M+1, M). */
export function iso7064Check(text: string, system: Iso7064System): string {
  switch (system) {
    case 'mod 11-2':
      mustBe(text, /^\d+$/, 'digits');
      return pure(text, 11, '0123456789X');
    case 'mod 37-2':
      mustBe(text, /^[0-9A-Z]+$/, 'digits and capitals');
      return pure(text, 37, `${digitsAndLetters}*`);
    case 'mod 97-10': {
      mustBe(text, /^\d+$/, 'digits');
      return String(98 - remainder(`${text}00`, 97)).padStart(2, '0');
    }
    case 'mod 11,10':
      mustBe(text, /^\d+$/, 'digits');
      return hybrid(text, 10);
    case 'mod 37,36':
      mustBe(text, /^[0-9A-Z]+$/, 'digits and capitals');
      return hybrid(text, 36);
  }
}

/** A pure system with radix 2. */
function pure(text: string, modulus: number, signs: string): string {
  let rest = 0;
  for (const sign of text) rest = ((rest + signValue(sign)) * 2) % modulus;
  return signs[(modulus + 1 - rest) % modulus] ?? '';
}

function hybrid(text: string, base: number): string {
  let rest = base;
  for (const sign of text) {
    const sum = (rest + signValue(sign)) % base || base;
    rest = (sum * 2) % (base + 1);
  }
  return digitsAndLetters[(base + 1 - rest) % base] ?? '';
}

/** An IBAN (ISO 13616) of a country code and the account within it: check digits after ISO/IEC 7064 mod 97-10, letters as 10 to 35. */
export function iban(country: string, account: string): string {
  mustBe(country, /^[A-Z]{2}$/, 'two capitals');
  mustBe(account, /^[0-9A-Z]+$/, 'digits and capitals');
  const digits = Array.from(account + country, (sign) => String(signValue(sign))).join('');
  return `${country}${String(98 - remainder(`${digits}00`, 97)).padStart(2, '0')}${account}`;
}
