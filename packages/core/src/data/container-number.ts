/**
 * Value of a letter after ISO 6346: A = 10, then upwards, leaving out the multiples of 11.
 */
function letterValue(letter: string): number {
  const index = letter.charCodeAt(0) - 65;
  return 10 + index + Math.floor((index + 9) / 10);
}

/** The ISO 6346 check digit of the first ten characters (owner code, category, serial number). */
export function containerCheckDigit(firstTen: string): number {
  let sum = 0;
  firstTen.split(/(?:)/u).forEach((sign, place) => {
    sum += (/\d/.test(sign) ? Number(sign) : letterValue(sign)) * 2 ** place;
  });
  return (sum % 11) % 10;
}

/** True for a complete container number with the right check digit. */
export function isContainerNumber(text: string): boolean {
  return /^[A-Z]{3}[UJZ]\d{7}$/.test(text) && containerCheckDigit(text.slice(0, 10)) === Number(text[10]);
}

/** A container number from owner code with category (`TWCU`) and serial number 0 to 999999. */
export function containerNumber(ownerAndCategory: string, serial: number): string {
  const firstTen = ownerAndCategory + String(serial % 1_000_000).padStart(6, '0');
  return firstTen + String(containerCheckDigit(firstTen));
}
