import { CsvReader, Refusal, type DataColumn, type TableChange } from '@sturdy/core';
import { and, eq, sql, type SQL } from 'drizzle-orm';
import { appendRows, cell, chunkRows, foundRows, inOrder, padded, read, type Work } from './table-rows-sql.js';
import { storedJson, storedText } from './stored-text.js';
import * as tables from './tables.js';

/** A table has no more rows than this, changes included. */
const mostTableRows = 2_000_000;

const { dataVersions } = tables;

/** Exchanges a version with what the table shows; says how the columns are then. */
export async function swapVersion(work: Work, tableId: string, number: number, columns: DataColumn[]): Promise<DataColumn[]> {
  const otherSide = sql`(select row, values, spent_by from data_version_rows where table_id = ${tableId} and number = ${number})`;
  const shown = await read<{ row: number; values: string[] | null; spent_by: string | null }>(
    work,
    sql`select o.row, r.values, r.spent_by from ${otherSide} o left join data_rows r on r.table_id = ${tableId} and r.row = o.row`,
  );
  await work.execute(
    sql`delete from data_rows r using ${otherSide} o where r.table_id = ${tableId} and r.row = o.row and o.values is null`,
  );
  // A row that comes back is as spent as it was when it went, and one that stayed is as spent as it is now.
  await work.execute(
    sql`insert into data_rows (table_id, row, values, spent_by) select ${tableId}, o.row, o.values, o.spent_by from ${otherSide} o where o.values is not null on conflict (table_id, row) do update set values = excluded.values`,
  );
  const [version] = await work
    .select({ columns: dataVersions.columns })
    .from(dataVersions)
    .where(and(eq(dataVersions.tableId, tableId), eq(dataVersions.number, number)));
  await work
    .update(dataVersions)
    .set({ columns })
    .where(and(eq(dataVersions.tableId, tableId), eq(dataVersions.number, number)));
  for (let at = 0; at < shown.length; at += chunkRows)
    await work.execute(
      sql`update data_version_rows set values = nullif(now.v, 'null'::jsonb), spent_by = now.s from (select (v ->> 'row')::int as row, v -> 'values' as v, v ->> 'spent_by' as s from jsonb_array_elements(${storedJson(shown.slice(at, at + chunkRows))}::jsonb) v) now where table_id = ${tableId} and number = ${number} and data_version_rows.row = now.row`,
    );
  return version?.columns ?? columns;
}

/** Applies one change inside a transaction and keeps the other side of every row that it touches. */
export class TableChanger {
  constructor(
    readonly work: Work,
    readonly tableId: string,
    readonly columns: DataColumn[],
    readonly number: number,
  ) {}

  async apply(change: TableChange): Promise<{ rows: number; columns: DataColumn[] }> {
    const { columns } = this;
    const column = 'column' in change ? change.column : -1;
    if (column >= columns.length) throw new Refusal(`The table has no column ${column + 1}.`);
    switch (change.kind) {
      case 'set-cells': {
        if (change.cells.some((cell) => cell.column >= columns.length)) throw new Refusal('A cell lies beside the last column.');
        const wanted = new Map<number, Map<number, string>>();
        for (const { row, column: cellColumn, text } of change.cells)
          wanted.set(row, (wanted.get(row) ?? new Map<number, string>()).set(cellColumn, text));
        const before = await read<{ row: number; values: string[] }>(
          this.work,
          sql`select r.row, r.values from data_rows r where r.table_id = ${this.tableId} and r.row in (select n::int from jsonb_array_elements_text(${JSON.stringify([...wanted.keys()])}::jsonb) n)`,
        );
        const after = before.map(({ row, values }) => ({
          row,
          values: padded(values, columns).map((text, at) => wanted.get(row)?.get(at) ?? text),
        }));
        return { rows: await this.#rewrite(after), columns };
      }
      case 'add-rows':
        return { rows: await this.#add(change.rows), columns };
      case 'delete-rows':
        return {
          rows: await this.#delete(sql`r.row in (select n::int from jsonb_array_elements_text(${JSON.stringify(change.rows)}::jsonb) n)`),
          columns,
        };
      case 'delete-found':
        return { rows: await this.#delete(foundRows(this.tableId, columns, change.wish)), columns };
      case 'paste':
        return { rows: await this.#paste(change), columns };
      case 'fill': {
        const found = foundRows(this.tableId, columns, change.wish);
        const cellText = cell(column);
        const text =
          change.instead === undefined
            ? sql`${storedText(change.text)}::text`
            : sql`replace(${cellText}, ${storedText(change.instead)}, ${storedText(change.text)})`;
        const rows = await this.#keep(
          change.instead === undefined ? found : sql`${found} and position(${storedText(change.instead)} in ${cellText}) > 0`,
        );
        await this.work.execute(
          sql`update data_rows r set values = jsonb_set((select jsonb_agg(coalesce(r.values -> at, '""'::jsonb) order by at) from generate_series(0, ${columns.length - 1}::int) at), array[${String(column)}::text], to_jsonb(${text})) where r.table_id = ${this.tableId} and r.row in (select row from data_version_rows where table_id = ${this.tableId} and number = ${this.number})`,
        );
        return { rows, columns };
      }
      case 'rename-column':
        this.#mustBeFree(change.name, column);
        return { rows: 0, columns: columns.map((dataColumn, at) => (at === column ? { ...dataColumn, name: change.name } : dataColumn)) };
      case 'set-column':
        return { rows: 0, columns: columns.map((dataColumn, at) => (at === column ? { ...dataColumn, ...change.of } : dataColumn)) };
      case 'add-column':
        this.#mustBeFree(change.name, -1);
        return { rows: 0, columns: [...columns, { name: change.name, kind: 'text', unique: false }] };
      case 'delete-column': {
        if (columns.length === 1) throw new Refusal('This is the last column. Delete the table instead.');
        const rows = await this.#keep(sql`true`);
        await this.work.execute(sql`update data_rows set values = values - ${column}::int where table_id = ${this.tableId}`);
        return { rows, columns: columns.filter((_, at) => at !== column) };
      }
    }
  }

  #mustBeFree(name: string, except: number): void {
    if (this.columns.some((column, at) => at !== except && column.name === name))
      throw new Refusal(`There is a column called “${name}” already. Give this one another name.`);
  }

  /** Keeps how the rows are now; says how many there are. */
  async #keep(where: SQL): Promise<number> {
    const kept = await read<{ row: number }>(
      this.work,
      sql`insert into data_version_rows (table_id, number, row, values, spent_by) select ${this.tableId}, ${this.number}::int, r.row, r.values, r.spent_by from data_rows r where r.table_id = ${this.tableId} and ${where} returning row`,
    );
    return kept.length;
  }

  async #delete(where: SQL): Promise<number> {
    const rows = await this.#keep(where);
    await this.work.execute(
      sql`delete from data_rows where table_id = ${this.tableId} and row in (select row from data_version_rows where table_id = ${this.tableId} and number = ${this.number})`,
    );
    return rows;
  }

  async #add(rows: readonly string[][]): Promise<number> {
    const [last] = await read<{ row: number; count: number }>(
      this.work,
      // Numbers of rows that were deleted are not given again: what is spent is remembered by its number.
      sql`select greatest(coalesce((select max(row) from data_rows where table_id = ${this.tableId}), 0), coalesce((select max(row) from data_version_rows where table_id = ${this.tableId}), 0))::int as row, (select count(*)::int from data_rows where table_id = ${this.tableId}) as count`,
    );
    const before = last?.row ?? 0;
    if ((last?.count ?? 0) + rows.length > mostTableRows)
      throw new Refusal(`A table holds ${mostTableRows.toLocaleString('en')} rows at most. Put the others into a second table.`);
    const whole = rows.map((row) => this.columns.map((_, at) => row[at] ?? ''));
    await appendRows(this.work, this.tableId, before, whole);
    await this.work.execute(
      sql`insert into data_version_rows (table_id, number, row) select ${this.tableId}, ${this.number}::int, n from generate_series(${before + 1}::int, ${before + rows.length}::int) n`,
    );
    return rows.length;
  }

  async #paste({ wish, at, column, text }: Extract<TableChange, { kind: 'paste' }>): Promise<number> {
    const { columns } = this;
    const reader = new CsvReader('\t');
    const cells = [...reader.write(text), ...reader.end()].map((record) => record.fields);
    if (cells.length === 0) throw new Refusal('There are no cells in what was pasted.');
    const widest = Math.max(...cells.map((row) => row.length));
    if (column + widest > columns.length)
      throw new Refusal(
        `${widest} columns are pasted from “${columns[column]?.name ?? ''}” on, but only ${columns.length - column} are there. Add columns first, or begin further left.`,
      );
    const targets = await read<{ row: number; values: string[] }>(
      this.work,
      sql`select r.row, r.values from data_rows r where ${foundRows(this.tableId, columns, wish)} order by ${inOrder(columns, wish)} limit ${cells.length} offset ${at}`,
    );
    const over = cells.slice(targets.length).map((row) => columns.map((_, at) => row[at - column] ?? ''));
    const touched = await this.#rewrite(
      targets.map(({ row, values }, index) => ({
        row,
        values: padded(values, columns).map((text, at) => cells[index]?.[at - column] ?? text),
      })),
    );
    return touched + (over.length > 0 ? await this.#add(over) : 0);
  }

  /** Writes rows anew; says how many. */
  async #rewrite(rows: readonly { row: number; values: string[] }[]): Promise<number> {
    let touched = 0;
    for (let from = 0; from < rows.length; from += chunkRows) {
      const given = storedJson(rows.slice(from, from + chunkRows));
      touched += await this.#keep(sql`r.row in (select (g ->> 'row')::int from jsonb_array_elements(${given}::jsonb) g)`);
      await this.work.execute(
        sql`update data_rows r set values = g.v -> 'values' from jsonb_array_elements(${given}::jsonb) as g(v) where r.table_id = ${this.tableId} and r.row = (g.v ->> 'row')::int`,
      );
    }
    return touched;
  }
}
