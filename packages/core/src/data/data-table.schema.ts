import * as z from 'zod';
import { ColumnKindSchema } from './column-kinds.js';

/**
 * How rows reach virtual users. `when` a new one is dealt: in each iteration, once to each user, one for the whole run, or for each use, that
 * is for each request that sends something of it. `use`: `once` means that a dealt row is spent for good; `exclusive` that nobody else has
 * it during the run, and that it is free again afterwards (one sign-in for each user); `again` that rows may be dealt any number of times,
 * to several users too.
 */
export const DealSchema = z
  .object({
    when: z.enum(['iteration', 'user', 'run', 'use']),
    use: z.enum(['once', 'exclusive', 'again']).default('once'),
    /** As listed, shuffled (each row once in a random order), or at random (with repeats where rows may be dealt again). */
    order: z.enum(['listed', 'shuffled', 'random']).default('listed'),
    whenEmpty: z.enum(['stop-user', 'end-run', 'start-over']),
  })
  .refine((deal) => deal.whenEmpty !== 'start-over' || deal.use === 'again', {
    message: 'Rows can start over only where they may be dealt again. Choose another end, or let rows be used again.',
    path: ['whenEmpty'],
  });
export type Deal = z.infer<typeof DealSchema>;

/** A deal of which each row is used once, in the order of the table. */
export const onceInOrder: Deal = { when: 'iteration', use: 'once', order: 'listed', whenEmpty: 'stop-user' };

/** True where rows never run out. */
export const isEndless = ({ use, order, whenEmpty }: Deal): boolean =>
  use === 'again' && (whenEmpty === 'start-over' || order === 'random');

/** A column: what its values are, and whether no two rows may have the same. */
export const DataColumnSchema = z.object({
  name: z.string().trim().min(1, 'Give the column a name.').max(120),
  kind: ColumnKindSchema,
  unique: z.boolean(),
});
export type DataColumn = z.infer<typeof DataColumnSchema>;

/** Columns of texts, none of them unique. */
export const plainColumns = (names: readonly string[]): DataColumn[] => names.map((name) => ({ name, kind: 'text', unique: false }));

/** A table of test data; its rows are stored apart. */
export const DataTableSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string(),
  columns: z.array(DataColumnSchema),
  rowCount: z.number().int(),
  spentCount: z.number().int(),
  deal: DealSchema,
  /** The version that it shows; see `TableVersionSchema`. */
  version: z.number().int().nonnegative(),
});
export type DataTable = z.infer<typeof DataTableSchema>;

/** One row; `row` counts from 1 in the order of the table and stays the same when others are deleted. */
export const DataRowSchema = z.object({
  row: z.number().int(),
  values: z.array(z.string()),
  /** Run or rehearsal that was dealt the row; null while it is free. */
  spentBy: z.string().nullable(),
});
export type DataRow = z.infer<typeof DataRowSchema>;
