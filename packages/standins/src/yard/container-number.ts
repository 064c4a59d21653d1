const letterValue = (letter: string): number => {
  // ISO 6346: A = 10, then upwards, leaving out the multiples of 11.
  let value = 10;
  for (let code = 65; code < letter.charCodeAt(0); code++) {
    value++;
    if (value % 11 === 0) value++;
  }
  return value;
};

/** True where `text` is four capitals, six digits and the right check digit after ISO 6346. */
export function isContainerNumber(text: string): boolean {
  if (!/^[A-Z]{3}[UJZ]\d{7}$/.test(text)) return false;
  return checkDigit(text.slice(0, 10)) === Number(text[10]);
}

/** The ISO 6346 check digit of the first ten characters. */
export function checkDigit(firstTen: string): number {
  let sum = 0;
  for (let place = 0; place < 10; place++) {
    const sign = firstTen[place] ?? '0';
    sum += (/\d/.test(sign) ? Number(sign) : letterValue(sign)) * 2 ** place;
  }
  return (sum % 11) % 10;
}
