import { encode } from '../../values/encoding.js';

/** True for what may be an id that pages write in another case or with other separators than requests do. */
export const isSpeltId = (value: string): boolean =>
  value.length >= 12 && value.length <= 80 && /^[0-9a-z._:{}-]+$/i.test(value) && /\d/.test(value);

/** The form in which ids of several spellings are compared: small letters and digits alone. */
export const spelling = (value: string): string => encode('lower', encode('bare', value));
