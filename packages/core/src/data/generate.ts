import seedrandom from 'seedrandom';
import { encode } from '../values/encoding.js';
import { gs1CheckDigit, iban, iso7064Check } from './check-digits.js';
import type { GeneratedColumn } from './columns.schema.js';
import { containerNumber } from './container-number.js';

/** More rows than this are not made at once. */
export const mostRows = 1_000_000;

/** Gives the numbers below `size` in an order of its own, each once before any comes again. */
export function shuffledSerials(size: number, random: () => number): (index: number) => number {
  const start = Math.floor(random() * size);
  // A stride without a common factor with the size visits every number once.
  let stride = Math.max(1, Math.floor(size * (0.3 + 0.4 * random())));
  while (commonFactor(stride, size) !== 1) stride++;
  return (index) => Number((BigInt(start) + BigInt(index) * BigInt(stride)) % BigInt(size));
}
const commonFactor = (left: number, right: number): number => (right === 0 ? left : commonFactor(right, left % right));

type Make = (index: number, row: ReadonlyMap<string, string>) => string;

/** Fails with the name of the column, so that one knows where to look. */
function wrong(column: GeneratedColumn, why: string): Error {
  return new Error(`Column “${column.name}”: ${why}`);
}

const starts = 'b d f g h k l m n p r s t v w br dr gr kr pr st tr'.split(' ');
const vowels = 'a e i o u ai ea oa'.split(' ');
const ends = ['', '', 'n', 'r', 'l', 's', 'rd', 'm', 'nd', 'th'];

/** How one column makes its values; each has a random stream of its own, so that another column changes nothing. */
function makerOf(column: GeneratedColumn, before: ReadonlySet<string>, seed: string, count: number, nowMs: number): Make {
  const random = seedrandom(`${seed}\u0000${column.name}`);
  const below = (most: number): number => Math.floor(random() * most);
  const pick = <T>(list: readonly T[], otherwise: T): T => list[below(list.length)] ?? otherwise;
  const enough = (size: number): void => {
    if (count > size)
      throw wrong(column, `only ${size.toLocaleString('en')} different values fit, but ${count.toLocaleString('en')} rows are wanted.`);
  };
  switch (column.kind) {
    case 'sequence':
      return (index) => {
        const value = column.start + index * column.step;
        return value < 0 ? `-${String(-value).padStart(column.width, '0')}` : String(value).padStart(column.width, '0');
      };
    case 'number': {
      if (column.to < column.from) throw wrong(column, 'the most is less than the least.');
      const unit = 10 ** column.decimals;
      const steps = Math.floor((column.to - column.from) * unit + 1e-9) + 1;
      return () => (column.from + below(steps) / unit).toFixed(column.decimals);
    }
    case 'guid':
      return () => {
        const hex = Array.from({ length: 32 }, () => below(16).toString(16)).join('');
        // Version 4 of RFC 9562, 5.4.
        return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-4${hex.slice(13, 16)}-${'89ab'[below(4)] ?? '8'}${hex.slice(17, 20)}-${hex.slice(20)}`;
      };
    case 'date': {
      if (column.toDays < column.fromDays) throw wrong(column, 'it ends before it starts.');
      const day = 86_400_000;
      return () => dateIn(column.form, nowMs + (column.fromDays + random() * (column.toDays - column.fromDays)) * day);
    }
    case 'pick': {
      const all = column.from.reduce((sum, choice) => sum + choice.weight, 0);
      return () => {
        let at = random() * all;
        return (column.from.find((choice) => (at -= choice.weight) < 0) ?? column.from.at(-1))?.text ?? '';
      };
    }
    case 'container': {
      if (!/^[A-Z]{3}[UJZ]$/.test(column.owner))
        throw wrong(column, `“${column.owner}” is no owner code. ISO 6346 wants three capitals and the category U, J or Z, such as TWCU.`);
      enough(1_000_000);
      const serial = shuffledSerials(1_000_000, random);
      return (index) => containerNumber(column.owner, serial(index));
    }
    case 'gs1': {
      const width = column.length - 1 - column.prefix.length;
      if (width < 1) throw wrong(column, `the prefix leaves no digit free of the ${column.length}.`);
      enough(10 ** width);
      const serial = shuffledSerials(10 ** Math.min(width, 12), random);
      return (index) => {
        const body = column.prefix + String(serial(index)).padStart(width, '0');
        return body + gs1CheckDigit(body);
      };
    }
    case 'iso7064': {
      enough(10 ** column.digits);
      const serial = shuffledSerials(10 ** column.digits, random);
      return (index) => {
        const body = column.prefix + String(serial(index)).padStart(column.digits, '0');
        try {
          return body + iso7064Check(body, column.system);
        } catch (error) {
          throw wrong(column, error instanceof Error ? error.message : String(error));
        }
      };
    }
    case 'iban': {
      enough(10 ** column.digits);
      const serial = shuffledSerials(10 ** column.digits, random);
      return (index) => {
        try {
          return iban(column.country, column.bank + String(serial(index)).padStart(column.digits, '0'));
        } catch (error) {
          throw wrong(column, error instanceof Error ? error.message : String(error));
        }
      };
    }
    case 'words':
      return () =>
        Array.from({ length: column.count }, () => {
          const word = pick(starts, 'b') + pick(vowels, 'a') + pick(starts, 'd') + pick(vowels, 'e') + pick(ends, '');
          return word.slice(0, 1).toUpperCase() + word.slice(1);
        }).join(' ');
    case 'joined': {
      for (const [, named = ''] of column.text.matchAll(/\{([^{}]+)\}/g))
        if (!before.has(named)) throw wrong(column, `there is no column “${named}” before it.`);
      return (_index, row) => column.text.replace(/\{([^{}]+)\}/g, (_all, named: string) => row.get(named) ?? '');
    }
    case 'digest':
      if (!before.has(column.of)) throw wrong(column, `there is no column “${column.of}” before it.`);
      return (_index, row) => encode(column.digest, row.get(column.of) ?? '');
  }
}

function dateIn(form: Extract<GeneratedColumn, { kind: 'date' }>['form'], ms: number): string {
  const iso = new Date(ms).toISOString();
  const [year = '', month = '', day = ''] = iso.slice(0, 10).split('-');
  switch (form) {
    case 'YYYY-MM-DD':
      return iso.slice(0, 10);
    case 'DD.MM.YYYY':
      return `${day}.${month}.${year}`;
    case 'MM/DD/YYYY':
      return `${month}/${day}/${year}`;
    case 'YYYY-MM-DDThh:mm:ssZ':
      return `${iso.slice(0, 19)}Z`;
    case 'ms since 1970':
      return String(Math.round(ms));
  }
}

/**
 * Rows of generated columns, one by one: the same seed gives the same rows (dates aside, which count from `nowMs`). Throws a sentence that names
 * the column where one cannot be made.
 */
export function* generatedRows(
  columns: readonly GeneratedColumn[],
  count: number,
  seed: string,
  nowMs: number,
): Generator<string[], void, undefined> {
  const before = new Set<string>();
  const makers = columns.map((column) => {
    if (before.has(column.name)) throw new Error(`Two columns are called “${column.name}”. Give each its own name.`);
    const make = makerOf(column, before, seed, Math.min(count, mostRows), nowMs);
    before.add(column.name);
    return { name: column.name, make };
  });
  for (let index = 0; index < Math.min(count, mostRows); index++) {
    const row = new Map<string, string>();
    for (const { name, make } of makers) row.set(name, make(index, row));
    yield [...row.values()];
  }
}

/** All rows of generated columns; see `generatedRows`. */
export const generateRows = (...wish: Parameters<typeof generatedRows>): string[][] => [...generatedRows(...wish)];
