import * as z from 'zod';

/** How rows reach virtual users. In this version: once-only, in the order of the table, one row for each iteration. */
export const DealSchema = z.object({
  when: z.enum(['iteration', 'user']),
  whenEmpty: z.enum(['stop-user', 'end-run']),
});
export type Deal = z.infer<typeof DealSchema>;

/** A table of test data; its rows are stored apart. */
export const DataTableSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string(),
  columns: z.array(z.string()),
  rowCount: z.number().int(),
  spentCount: z.number().int(),
  deal: DealSchema,
});
export type DataTable = z.infer<typeof DataTableSchema>;

/** One row; `row` counts from 1 in the order of the table. */
export const DataRowSchema = z.object({
  row: z.number().int(),
  values: z.array(z.string()),
  /** Run or rehearsal that was dealt the row; null while it is free. */
  spentBy: z.string().nullable(),
});
export type DataRow = z.infer<typeof DataRowSchema>;
