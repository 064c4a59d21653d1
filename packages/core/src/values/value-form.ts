import * as z from 'zod';

/**
 * How a value is written where it is sent, as a pattern:
 *
 * - a number: `0`, `0.00`, `0,00`, `0000` (zeros in front), `#,0.00` (a sign between thousands: one of `, . ' _` and a blank);
 * - a day or moment: tokens of Luxon, which follow Unicode TR 35: `dd.MM.yyyy`, `yyyy-MM-dd'T'HH:mm:ss`, `kkkk-'W'WW-c` (ISO 8601 week),
 *   `yyyy-ooo` (ISO 8601 ordinal day), `X` and `x` (seconds and milliseconds since 1970);
 * - a part: `[1..4]` its first four signs, `[5..]` all from the fifth on, `[-3..]` the last three.
 */
export const ValueFormSchema = z
  .string()
  .min(1)
  .max(60)
  .refine((text) => formOf(text) !== null, { message: 'Write it as 0.00, #,0.00, dd.MM.yyyy or [1..4].' });

/** A form, read. */
export type Form =
  | { kind: 'number'; width: number; decimals: number; point: string; group: string }
  | { kind: 'date'; pattern: string }
  | { kind: 'part'; from: number; to: number | null };

const known = new Map<string, Form | null>();

/** Reads a form; null where it is none. What is a day is known by its tokens, so that nothing that writes days is needed for it. */
export function formOf(text: string): Form | null {
  const before = known.get(text);
  if (before !== undefined) return before;
  const form = readForm(text);
  if (known.size > 1000) known.clear();
  known.set(text, form);
  return form;
}

function readForm(text: string): Form | null {
  const part = /^\[(-?\d+)\.\.(-?\d+)?\]$/.exec(text);
  if (part) return { kind: 'part', from: Number(part[1]), to: part[2] === undefined ? null : Number(part[2]) };
  const number = /^(?:#([,.' _]))?(0+)(?:([.,])(0+))?$/.exec(text);
  if (number) {
    const [, group = '', whole = '0', point = '.', decimals = ''] = number;
    return group === point && decimals !== ''
      ? null
      : { kind: 'number', width: whole.length, decimals: decimals.length, point, group: group === '_' ? '' : group };
  }
  // A letter that is no token is written as it stands by Luxon, so what it makes of a moment tells whether there is a token.
  const quoted = text.replace(/'[^']*'/g, '');
  return /[yMdHhmsSEcWkoqaXxZzLGT]/.test(quoted) && !/[0#[\]]/.test(quoted) ? { kind: 'date', pattern: text } : null;
}
