import { DateTime } from 'luxon';
import { encode } from './encoding.js';
import type { Template } from './template.schema.js';
import { isStill, recordedOf, type MovingPiece } from './template.js';
import { formOf, type Form } from './value-form.js';

/** A value in the wanted form; as it is where it is no number, day or moment. */
export function inForm(pattern: string, text: string): string {
  const form = formOf(pattern);
  switch (form?.kind) {
    case 'part':
      return partOf(text, form.from, form.to);
    case 'number': {
      const value = text.trim() === '' ? Number.NaN : Number(text);
      return Number.isFinite(value) ? numberText(value, form) : text;
    }
    case 'date':
      return readMoment(text)?.toFormat(form.pattern) ?? text;
    case undefined:
      return text;
  }
}

/** Signs by their place from 1, or from the end where it is below 0. */
function partOf(text: string, from: number, to: number | null): string {
  const signs = Array.from(text);
  const start = from < 0 ? Math.max(0, signs.length + from) : Math.max(0, from - 1);
  const end = to === null ? signs.length : to < 0 ? signs.length + to + 1 : to;
  return signs.slice(start, Math.max(start, end)).join('');
}

function numberText(value: number, { width, decimals, point, group }: Extract<Form, { kind: 'number' }>): string {
  const [whole = '0', rest = ''] = Math.abs(value).toFixed(decimals).split('.');
  const padded = whole.padStart(width, '0');
  const grouped = group === '' ? padded : padded.replace(/\B(?=(\d{3})+$)/g, group);
  const sign = value < 0 && Number(Math.abs(value).toFixed(decimals)) !== 0 ? '-' : '';
  return `${sign}${grouped}${decimals > 0 ? point + rest : ''}`;
}

/** Days as tables hold them that are not of ISO 8601. */
const otherDays = ['dd.MM.yyyy', 'd.M.yyyy', 'MM/dd/yyyy', 'M/d/yyyy', 'dd.MM.yyyy HH:mm', 'dd.MM.yyyy HH:mm:ss', 'MM/dd/yyyy HH:mm:ss'];

/** A day or moment of a text: any form of ISO 8601, days as people write them, milliseconds since 1970; null where it is none. */
function readMoment(text: string): DateTime | null {
  const trimmed = text.trim();
  if (/^\d{13}$/.test(trimmed)) return DateTime.fromMillis(Number(trimmed), { zone: 'utc' });
  // Eight digits are a day of ISO 8601 in its basic form; other numbers alone are none.
  if (/^\d+$/.test(trimmed) && !/^\d{8}$/.test(trimmed)) return null;
  const iso = DateTime.fromISO(trimmed.replace(/^(\d{4}-\d\d-\d\d) (?=\d)/, '$1T'), { zone: 'utc', setZone: true });
  if (iso.isValid) return iso;
  for (const pattern of otherDays) {
    const read = DateTime.fromFormat(trimmed, pattern, { zone: 'utc' });
    if (read.isValid) return read;
  }
  return null;
}

const dayForms = [
  'yyyy-MM-dd',
  'yyyyMMdd',
  'dd.MM.yyyy',
  'd.M.yyyy',
  'MM/dd/yyyy',
  'M/d/yyyy',
  'dd/MM/yyyy',
  'dd MMM yyyy',
  'd MMM yyyy',
  "kkkk-'W'WW-c",
  'yyyy-ooo',
];

/**
 * The form in which a value was recorded, for values that are written otherwise in a table: `sample` is one of those. Null where they are
 * written alike, or nothing is known of it.
 */
export function formLike(recorded: string, sample: string): string | null {
  const number = /^-?(\d{1,3}(?:([,.' ])\d{3})+|\d+)(?:([.,])(\d+))?$/.exec(recorded);
  if (number && /^-?\d+(\.\d+)?$/.test(sample)) {
    const [, whole = '', group = '', point = '.', decimals = ''] = number;
    const zeros = group === '' && /^0\d/.test(whole) ? '0'.repeat(whole.length) : '0';
    const form = `${group === '' ? '' : `#${group}`}${zeros}${decimals === '' ? '' : point + '0'.repeat(decimals.length)}`;
    return inForm(form, sample) === sample ? null : form;
  }
  const moment = readMoment(sample);
  if (!moment) return null;
  const form = dayForms.find((dayForm) => DateTime.fromFormat(recorded, dayForm, { zone: 'utc' }).isValid);
  return form === undefined || moment.toFormat(form) === sample ? null : form;
}

/** The text of a template where its pieces stand for these values; undefined leaves what was recorded. */
export function textWith(template: Template, valueOf: (piece: MovingPiece) => string | undefined): string {
  return template
    .map((piece) => {
      if (piece.kind === 'text' || piece.kind === 'file') return recordedOf(piece);
      if (piece.kind === 'wrap') return isStill(piece.pieces) ? piece.recorded : encode(piece.encoding, textWith(piece.pieces, valueOf));
      const value = valueOf(piece);
      return value === undefined ? piece.recorded : 'as' in piece && piece.as !== undefined ? inForm(piece.as, value) : value;
    })
    .join('');
}
