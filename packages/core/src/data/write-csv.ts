import { stringify } from 'csv-stringify/sync';
import { defused } from './defused.js';

/** Writes a table as CSV after RFC 4180, with cells defused that would be formulas; `columns` is null for rows that follow others. */
export const writeCsv = (columns: readonly string[] | null, rows: readonly (readonly string[])[]): string =>
  stringify(
    [...(columns ? [columns] : []), ...rows].map((row) => row.map(defused)),
    { record_delimiter: 'windows' },
  );

/** Writes a table as CSV after RFC 4180 with every cell as it is, for programs that read it back. No spreadsheet should open it. */
export const writeExactCsv = (columns: readonly string[] | null, rows: readonly (readonly string[])[]): string =>
  stringify([...(columns ? [columns] : []), ...rows], {
    record_delimiter: 'windows',
    // A row whose only cell is empty would be no row at all.
    quoted_empty: (columns ?? rows[0] ?? []).length === 1,
  });
