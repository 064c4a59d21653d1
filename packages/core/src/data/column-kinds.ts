import * as z from 'zod';

/** What the values of a column are; cells are kept as texts in any case, so that nothing of them is lost. */
export const ColumnKindSchema = z.enum(['text', 'number', 'date', 'truth']);
export type ColumnKind = z.infer<typeof ColumnKindSchema>;

/**
 * What a cell of a kind looks like, as one expression for the program and the database (PostgreSQL reads it too). Numbers with a dot; days
 * and moments in the forms of ISO 8601 that have separators.
 */
export const cellPatterns: Record<Exclude<ColumnKind, 'text'>, string> = {
  number: '^[+-]?([0-9]+([.][0-9]*)?|[.][0-9]+)([eE][+-]?[0-9]{1,3})?$',
  date: '^[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])([T ]([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]([.,][0-9]+)?)?(Z|[+-][0-9]{2}(:?[0-9]{2})?)?)?$',
  truth: '^([Tt][Rr][Uu][Ee]|[Ff][Aa][Ll][Ss][Ee]|[Yy][Ee][Ss]|[Nn][Oo]|0|1)$',
};
const expressions = Object.fromEntries(Object.entries(cellPatterns).map(([kind, pattern]) => [kind, new RegExp(pattern)])) as Record<
  Exclude<ColumnKind, 'text'>,
  RegExp
>;

/** True where a cell is what its column says; an empty one fits everywhere. */
export const fitsKind = (kind: ColumnKind, text: string): boolean => kind === 'text' || text === '' || expressions[kind].test(text);

const leadingZero = /^[+-]?0\d/;

/** Finds out what the values of a column are, cell by cell, in one pass. */
export class KindFinder {
  readonly #left = new Set<Exclude<ColumnKind, 'text'>>(['truth', 'number', 'date']);
  #filled = 0;
  #onlyDigits = true;

  take(text: string): void {
    if (text === '' || this.#left.size === 0) return;
    this.#filled++;
    for (const kind of this.#left) if (!expressions[kind].test(text)) this.#left.delete(kind);
    if (!/^[01]$/.test(text)) this.#onlyDigits = false;
    // A number that keeps a zero in front is a code: to compute with it would lose the zero.
    if (leadingZero.test(text)) this.#left.delete('number');
  }

  /** The narrowest kind that all cells fit; zeros and ones alone are numbers. */
  get kind(): ColumnKind {
    if (this.#filled === 0) return 'text';
    const [first] = [...this.#left].filter((kind) => kind !== 'truth' || !this.#onlyDigits);
    return first ?? 'text';
  }
}
