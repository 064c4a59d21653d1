import * as z from 'zod';
import { ColumnKindSchema } from './column-kinds.js';
import { DataColumnSchema, DataRowSchema } from './data-table.schema.js';

const whole = z.number().int();
const column = whole.nonnegative();

/** How cells are compared when rows are looked for; `less` and `more` as the kind of the column says. */
export const CellFilterSchema = z.object({
  column,
  is: z.enum(['contains', 'lacks', 'equals', 'differs', 'starts', 'less', 'more', 'empty', 'filled']),
  text: z.string().max(10_000).default(''),
});
export type CellFilter = z.infer<typeof CellFilterSchema>;

/** Which rows are wanted, and in which order; nothing is changed by it. */
export const TableWishSchema = z.object({
  /** Rows in which any cell holds this text. */
  text: z.string().max(200).default(''),
  filters: z.array(CellFilterSchema).max(20).default([]),
  /** All; those that are free or spent; those that have the same value as another in `twiceIn`; those with a cell that does not fit. */
  only: z.enum(['all', 'free', 'spent', 'twice', 'misfit']).default('all'),
  twiceIn: column.optional(),
  sort: z
    .array(z.object({ column, down: z.boolean() }))
    .max(4)
    .default([]),
});
export type TableWish = z.infer<typeof TableWishSchema>;
export const allRows: TableWish = TableWishSchema.parse({});

/** Rows of a wish from a place onwards, and how many there are in all; null where they were not counted. */
export const TableViewSchema = z.object({ rows: z.array(DataRowSchema), total: whole.nullable() });
export type TableView = z.infer<typeof TableViewSchema>;

const cells = z.array(z.array(z.string())).min(1).max(100_000);

/** One change of a table. Each can be taken back. */
export const TableChangeSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('set-cells'),
    cells: z
      .array(z.object({ row: whole, column, text: z.string() }))
      .min(1)
      .max(100_000),
  }),
  /** Rows behind the last one. */
  z.object({ kind: z.literal('add-rows'), rows: cells }),
  z.object({ kind: z.literal('delete-rows'), rows: z.array(whole).min(1).max(100_000) }),
  /** All rows of a wish. */
  z.object({ kind: z.literal('delete-found'), wish: TableWishSchema }),
  /**
   * Cells as spreadsheets copy them (a tab between two, a line for each row), from the row that a wish shows at `at` (from 0) onwards; what
   * goes past the last row is added behind it.
   */
  z.object({ kind: z.literal('paste'), wish: TableWishSchema, at: whole.nonnegative(), column, text: z.string().min(1).max(50_000_000) }),
  /** Writes a text into a column of all rows of a wish: as a whole, or in the place of a part. */
  z.object({
    kind: z.literal('fill'),
    wish: TableWishSchema,
    column,
    text: z.string().max(10_000),
    instead: z.string().max(10_000).optional(),
  }),
  z.object({ kind: z.literal('rename-column'), column, name: DataColumnSchema.shape.name }),
  z.object({ kind: z.literal('set-column'), column, of: z.object({ kind: ColumnKindSchema, unique: z.boolean() }) }),
  z.object({ kind: z.literal('add-column'), name: DataColumnSchema.shape.name }),
  z.object({ kind: z.literal('delete-column'), column }),
]);
export type TableChange = z.infer<typeof TableChangeSchema>;

/** A state of a table: what was changed to reach it, from which state, by whom and when. The first one, 0, is as it was made. */
export const TableVersionSchema = z.object({
  number: whole.positive(),
  /** The version that was changed. */
  from: whole.nonnegative(),
  what: z.string(),
  by: z.string(),
  at: z.string(),
  /** How many rows were touched. */
  rows: whole.nonnegative(),
});
export type TableVersion = z.infer<typeof TableVersionSchema>;

/**
 * The versions that lead from one to another: those to take back, the last one first, and then those to make again. A tree, because who
 * takes something back and goes on leaves a branch.
 */
export function versionPath(
  versions: readonly Pick<TableVersion, 'number' | 'from'>[],
  start: number,
  end: number,
): { back: number[]; again: number[] } {
  const parents = new Map(versions.map((version) => [version.number, version.from]));
  const roots = (version: number): number[] => {
    const line = [version];
    for (let at = parents.get(version); at !== undefined; at = parents.get(at)) line.push(at);
    return line;
  };
  const there = roots(end);
  const onWay = new Set(there);
  const back: number[] = [];
  let at = start;
  while (!onWay.has(at)) {
    back.push(at);
    const next = parents.get(at);
    if (next === undefined) throw new Error(`The versions ${start} and ${end} have no common beginning.`);
    at = next;
  }
  return { back, again: there.slice(0, there.indexOf(at)).reverse() };
}

/** What a change does, in words for the list of versions. */
export function sayChange(change: TableChange, columns: readonly { name: string }[]): string {
  const name = (at: number): string => columns[at]?.name ?? `column ${at + 1}`;
  const rows = (count: number): string => `${count.toLocaleString('en')} ${count === 1 ? 'row' : 'rows'}`;
  switch (change.kind) {
    case 'set-cells': {
      const [first] = change.cells;
      return change.cells.length === 1 && first
        ? `${name(first.column)} of row ${first.row} changed`
        : `${change.cells.length.toLocaleString('en')} cells changed`;
    }
    case 'add-rows':
      return `${rows(change.rows.length)} added`;
    case 'delete-rows':
      return `${rows(change.rows.length)} deleted`;
    case 'delete-found':
      return 'all rows that were found deleted';
    case 'paste':
      return `cells pasted from ${name(change.column)} on`;
    case 'fill':
      return change.instead === undefined
        ? `${name(change.column)} filled`
        : `“${change.instead}” replaced by “${change.text}” in ${name(change.column)}`;
    case 'rename-column':
      return `${name(change.column)} is called ${change.name}`;
    case 'set-column':
      return `${name(change.column)} is ${{ text: 'text', number: 'numbers', date: 'dates', truth: 'yes or no' }[change.of.kind]}${change.of.unique ? ', each value once' : ''}`;
    case 'add-column':
      return `column ${change.name} added`;
    case 'delete-column':
      return `column ${name(change.column)} deleted`;
  }
}
