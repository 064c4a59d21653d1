import { cellPatterns, type DataColumn, type TableWish } from '@sturdy/core';
import { sql, type SQL } from 'drizzle-orm';
import type { Database } from './repository.js';
import { readDocument, storedJson, storedText } from './stored-text.js';

/** Rows that are written in one statement. */
export const chunkRows = 5000;
// A row that is older than a column has no value for it; that reads as an empty one.
export const cell = (column: number): SQL => sql`coalesce(r.values ->> ${column}::int, '')`;
/** A row with a cell for each column. */
export const padded = (values: readonly string[], columns: readonly unknown[]): string[] => columns.map((_, at) => values[at] ?? '');

/** A cell as a number or a moment, so that it is put in order as what it is; null where it is neither. */
function comparable(column: DataColumn | undefined, at: number): SQL {
  const text = cell(at);
  if (column?.kind === 'number') return sql`(case when ${text} ~ ${cellPatterns.number} then (${text})::numeric end)`;
  // Days and moments of ISO 8601 in one zone are in order as texts; a blank counts as the T between day and time.
  if (column?.kind === 'date') return sql`(case when ${text} ~ ${cellPatterns.date} then replace(${text}, ' ', 'T') end) collate "C"`;
  return sql`lower(${text})`;
}

/** What a change of a table needs of the database, within a transaction. */
export type Work = Pick<Database, 'execute' | 'select' | 'insert' | 'update' | 'delete'>;

/** Rows of a query that no builder can say; both databases give them in `rows`. */
export async function read<T extends Record<string, unknown>>(database: Pick<Database, 'execute'>, query: SQL): Promise<T[]> {
  return readDocument(((await database.execute<T>(query)) as { rows: T[] }).rows);
}

/** Writes rows behind the first `before` ones; one JSON text for all is the fastest form that both databases read. */
export async function appendRows(
  work: Pick<Database, 'execute'>,
  tableId: string,
  before: number,
  rows: readonly string[][],
): Promise<void> {
  await work.execute(
    sql`insert into data_rows (table_id, row, values) select ${tableId}, ${before}::int + n::int, v from jsonb_array_elements(${storedJson(rows)}::jsonb) with ordinality as given(v, n)`,
  );
}

const likeText = (text: string): string => storedText(text).replace(/[\\%_]/g, (sign) => `\\${sign}`);

/** The condition of the rows that are wished for, over `data_rows r`. */
export function foundRows(tableId: string, columns: readonly DataColumn[], wish: TableWish): SQL {
  const conditions: SQL[] = [sql`r.table_id = ${tableId}`];
  if (wish.text !== '')
    conditions.push(
      // What is written without escapes in JSON is found in the row as one text, which takes a fifth of the time.
      /["\\\p{Cc}]/u.test(wish.text)
        ? sql`exists (select 1 from jsonb_array_elements_text(r.values) c where c ilike ${`%${likeText(wish.text)}%`})`
        : sql`r.values::text ilike ${`%${likeText(wish.text)}%`}`,
    );
  for (const { column, is, text } of wish.filters) {
    const cellText = cell(column);
    const known = columns[column];
    if (is === 'contains') conditions.push(sql`${cellText} ilike ${`%${likeText(text)}%`}`);
    else if (is === 'lacks') conditions.push(sql`${cellText} not ilike ${`%${likeText(text)}%`}`);
    else if (is === 'starts') conditions.push(sql`${cellText} ilike ${`${likeText(text)}%`}`);
    else if (is === 'equals') conditions.push(sql`${cellText} = ${storedText(text)}`);
    else if (is === 'differs') conditions.push(sql`${cellText} <> ${storedText(text)}`);
    else if (is === 'empty') conditions.push(sql`${cellText} = ''`);
    else if (is === 'filled') conditions.push(sql`${cellText} <> ''`);
    else {
      const limit = known?.kind === 'number' ? sql`${Number(text) || 0}::numeric` : sql`lower(${storedText(text)})`;
      conditions.push(is === 'less' ? sql`${comparable(known, column)} < ${limit}` : sql`${comparable(known, column)} > ${limit}`);
    }
  }
  if (wish.only === 'free') conditions.push(sql`r.spent_by is null`);
  if (wish.only === 'spent') conditions.push(sql`r.spent_by is not null`);
  if (wish.only === 'misfit') {
    const misfits = columns.flatMap(({ kind }, at) =>
      kind === 'text' ? [] : [sql`(${cell(at)} <> '' and ${cell(at)} !~ ${cellPatterns[kind]})`],
    );
    conditions.push(misfits.length === 0 ? sql`false` : sql`(${sql.join(misfits, sql` or `)})`);
  }
  if (wish.only === 'twice') {
    const column =
      wish.twiceIn ??
      Math.max(
        0,
        columns.findIndex((dataColumn) => dataColumn.unique),
      );
    conditions.push(
      sql`${cell(column)} <> '' and ${cell(column)} in (select (t.values ->> ${column}::int) from data_rows t where t.table_id = ${tableId} group by 1 having count(*) > 1)`,
    );
  }
  return sql.join(conditions, sql` and `);
}

export function inOrder(columns: readonly DataColumn[], wish: TableWish): SQL {
  const keys = wish.sort.map(({ column, down }) => {
    const key = comparable(columns[column], column);
    return down ? sql`${key} desc nulls last` : sql`${key} asc nulls last`;
  });
  // Rows that have the same value twice are looked at together.
  if (wish.only === 'twice' && wish.sort.length === 0)
    keys.push(
      sql`${cell(
        wish.twiceIn ??
          Math.max(
            0,
            columns.findIndex((column) => column.unique),
          ),
      )}`,
    );
  return sql.join([...keys, sql`r.row`], sql`, `);
}
