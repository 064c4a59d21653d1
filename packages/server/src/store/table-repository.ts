import {
  DataColumnSchema,
  DealSchema,
  Refusal,
  sayChange,
  versionPath,
  type DataColumn,
  type DataRow,
  type DataTable,
  type Deal,
  type TableChange,
  type TableVersion,
  type TableView,
  type TableWish,
} from '@sturdy/core';
import { and, asc, desc, eq, inArray, isNull, sql, type SQL } from 'drizzle-orm';
import type { Database } from './repository.js';
import { swapVersion, TableChanger } from './table-changer.js';
import { appendRows, cell, chunkRows, foundRows, inOrder, padded, read } from './table-rows-sql.js';
import * as tables from './tables.js';

/** A table as it is made; its rows are written apart. */
export type NewTable = Pick<DataTable, 'id' | 'projectId' | 'name' | 'columns' | 'deal'>;

/** Where this share of the rows at most has a value that another row has too, the column was meant to be unique. */
const fewTwice = 0.1;

const { dataTables, dataRows, dataVersions, dataVersionRows } = tables;

/** Data tables, their rows and their versions. Lives in the store's worker thread, as `Repository` does. */
export class TableRepository {
  constructor(readonly database: Database) {}

  tables(projectId: string): Promise<DataTable[]> {
    return this.#tables(eq(dataTables.projectId, projectId));
  }

  /** A table of whatever project; null where there is none. */
  async table(id: string): Promise<DataTable | null> {
    const [table] = await this.#tables(eq(dataTables.id, id));
    return table ?? null;
  }

  async #tables(isWanted: SQL): Promise<DataTable[]> {
    const rows = await this.database.select().from(dataTables).where(isWanted).orderBy(asc(dataTables.id));
    const counts = await this.database
      .select({
        tableId: dataRows.tableId,
        rowCount: sql<number>`count(*)::int`,
        spentCount: sql<number>`count(${dataRows.spentBy})::int`,
      })
      .from(dataRows)
      .where(
        inArray(
          dataRows.tableId,
          rows.map(({ id }) => id),
        ),
      )
      .groupBy(dataRows.tableId);
    return rows.map((row) => {
      const count = counts.find((candidate) => candidate.tableId === row.id);
      return {
        ...row,
        columns: row.columns.map((column) => DataColumnSchema.parse(column)),
        deal: DealSchema.parse(row.deal),
        rowCount: count?.rowCount ?? 0,
        spentCount: count?.spentCount ?? 0,
      };
    });
  }

  /** Writes a table and its rows at once: all of it or nothing. */
  async saveTable(table: NewTable, rows: string[][]): Promise<void> {
    await this.database.transaction(async (change) => {
      await change.insert(dataTables).values(table);
      for (let at = 0; at < rows.length; at += chunkRows) await appendRows(change, table.id, at, rows.slice(at, at + chunkRows));
    });
  }

  /** Marks rows as spent by something that dealt them elsewhere, before the table was brought here. */
  async setSpent(tableId: string, rows: readonly number[], spentBy: string): Promise<void> {
    for (let at = 0; at < rows.length; at += chunkRows)
      await this.database
        .update(dataRows)
        .set({ spentBy })
        .where(and(eq(dataRows.tableId, tableId), inArray(dataRows.row, rows.slice(at, at + chunkRows))));
  }

  /** Writes rows of a table that is still being imported, behind the first `before` ones; nobody sees it until `saveTable`. */
  async importRows(tableId: string, before: number, rows: string[][]): Promise<void> {
    await appendRows(this.database, tableId, before, rows);
  }

  async setDeal(tableId: string, deal: Deal): Promise<void> {
    await this.database.update(dataTables).set({ deal }).where(eq(dataTables.id, tableId));
  }

  async renameTable(tableId: string, name: string): Promise<void> {
    await this.database.update(dataTables).set({ name }).where(eq(dataTables.id, tableId));
  }

  async deleteTable(id: string): Promise<void> {
    await this.database.transaction(async (change) => {
      await change.delete(dataVersionRows).where(eq(dataVersionRows.tableId, id));
      await change.delete(dataVersions).where(eq(dataVersions.tableId, id));
      await change.delete(dataRows).where(eq(dataRows.tableId, id));
      await change.delete(dataTables).where(eq(dataTables.id, id));
    });
  }

  /** Rows in the order of the table, from a number onwards. */
  async rows(tableId: string, from: number, count: number): Promise<DataRow[]> {
    return this.database
      .select({ row: dataRows.row, values: dataRows.values, spentBy: dataRows.spentBy })
      .from(dataRows)
      .where(and(eq(dataRows.tableId, tableId), sql`${dataRows.row} >= ${from}`))
      .orderBy(asc(dataRows.row))
      .limit(count);
  }

  /** The rows that are wished for, from a place (from 0) onwards. They are counted only where that is wanted: it looks at every row. */
  async viewTable(tableId: string, wish: TableWish, from: number, count: number, counts = true): Promise<TableView> {
    const { columns } = await this.#need(tableId);
    const found = foundRows(tableId, columns, wish);
    const rows = await read<{ row: number; values: string[]; spent_by: string | null }>(
      this.database,
      sql`select r.row, r.values, r.spent_by from data_rows r where ${found} order by ${inOrder(columns, wish)} limit ${count} offset ${from}`,
    );
    const counted = counts
      ? await read<{ total: number }>(this.database, sql`select count(*)::int as total from data_rows r where ${found}`)
      : [];
    return {
      total: counted[0]?.total ?? null,
      rows: rows.map(({ row, values, spent_by: spentBy }) => ({ row, values: padded(values, columns), spentBy })),
    };
  }

  /** How many rows have a value in a column that another row has too, by column; those that are unique only. */
  async duplicates(tableId: string): Promise<{ column: number; rows: number; example: string }[]> {
    const { columns } = await this.#need(tableId);
    const found: { column: number; rows: number; example: string }[] = [];
    for (const [column, definition] of columns.entries()) {
      if (!definition.unique) continue;
      const [row] = await read<{ rows: number; example: string | null }>(
        this.database,
        sql`select coalesce(sum(n), 0)::int as rows, min(v) as example from (select ${cell(column)} as v, count(*) as n from data_rows r where r.table_id = ${tableId} and ${cell(column)} <> '' group by 1 having count(*) > 1) twice`,
      );
      if (row && row.rows > 0) found.push({ column, rows: row.rows, example: row.example ?? '' });
    }
    return found;
  }

  /** Columns of which nearly all rows have a value of their own, and some have not: as imported data is where it was to be unique. */
  async nearlyUnique(tableId: string): Promise<{ column: number; rows: number; example: string }[]> {
    const { columns } = await this.#need(tableId);
    const found: { column: number; rows: number; example: string }[] = [];
    for (const column of columns.keys()) {
      const [row] = await read<{ all: number; rows: number; example: string | null }>(
        this.database,
        sql`select coalesce(sum(n), 0)::int as all, coalesce(sum(n) filter (where n > 1), 0)::int as rows, min(v) filter (where n > 1) as example from (select ${cell(column)} as v, count(*) as n from data_rows r where r.table_id = ${tableId} and ${cell(column)} <> '' group by 1) given`,
      );
      if (row && row.rows > 0 && row.rows <= row.all * fewTwice) found.push({ column, rows: row.rows, example: row.example ?? '' });
    }
    return found;
  }

  /** Rows by their numbers, spent or free. */
  async rowsAt(tableId: string, numbers: readonly number[]): Promise<{ row: number; values: string[] }[]> {
    return this.database
      .select({ row: dataRows.row, values: dataRows.values })
      .from(dataRows)
      .where(and(eq(dataRows.tableId, tableId), inArray(dataRows.row, [...numbers])));
  }

  /** The numbers of all rows of a table, in order. */
  async rowNumbers(tableId: string): Promise<Int32Array> {
    const rows = await this.database
      .select({ row: dataRows.row })
      .from(dataRows)
      .where(eq(dataRows.tableId, tableId))
      .orderBy(asc(dataRows.row));
    return Int32Array.from(rows, (leased) => leased.row);
  }

  /** The next free rows in the order in which they would be leased, without leasing them. */
  async freeRows(tableId: string, count: number, shuffle: string | null): Promise<{ row: number; values: string[] }[]> {
    return this.#free(this.database, tableId, count, shuffle);
  }

  #free(database: Pick<Database, 'select'>, tableId: string, count: number, shuffle: string | null) {
    return database
      .select({ row: dataRows.row, values: dataRows.values })
      .from(dataRows)
      .where(and(eq(dataRows.tableId, tableId), isNull(dataRows.spentBy)))
      .orderBy(shuffle === null ? asc(dataRows.row) : sql`md5(${dataRows.row}::text || ${shuffle})`)
      .limit(count);
  }

  /**
   * Marks the next free rows as spent and gives them: a row is written as spent before anybody can use it. They come in the order of the
   * table, or, with `shuffle`, in an order that this text decides.
   */
  async leaseRows(
    tableId: string,
    count: number,
    spentBy: string,
    shuffle: string | null = null,
  ): Promise<{ row: number; values: string[] }[]> {
    return this.database.transaction(async (change) => {
      const free = await this.#free(change, tableId, count, shuffle).for('update', { skipLocked: true });
      if (free.length > 0)
        await change
          .update(dataRows)
          .set({ spentBy })
          .where(
            and(
              eq(dataRows.tableId, tableId),
              inArray(
                dataRows.row,
                free.map((row) => row.row),
              ),
            ),
          );
      return free;
    });
  }

  /** Marks one row as spent and gives its values; null where it is spent already, or there is no such row. */
  async leaseRow(tableId: string, row: number, spentBy: string): Promise<string[] | null> {
    const [leased] = await this.database
      .update(dataRows)
      .set({ spentBy })
      .where(and(eq(dataRows.tableId, tableId), eq(dataRows.row, row), isNull(dataRows.spentBy)))
      .returning({ values: dataRows.values });
    return leased?.values ?? null;
  }

  /** How many rows a run or rehearsal was dealt and has not given back. */
  async countSpent(tableId: string, spentBy: string): Promise<number> {
    return this.database.$count(dataRows, and(eq(dataRows.tableId, tableId), eq(dataRows.spentBy, spentBy)));
  }

  /** Frees rows: the given ones that `spentBy` leased, or all of the table where `rows` is null. */
  async releaseRows(tableId: string, rows: number[] | null, spentBy: string | null): Promise<number> {
    const released = await this.database
      .update(dataRows)
      .set({ spentBy: null })
      .where(
        and(
          eq(dataRows.tableId, tableId),
          rows ? inArray(dataRows.row, rows) : undefined,
          spentBy === null ? sql`${dataRows.spentBy} is not null` : eq(dataRows.spentBy, spentBy),
        ),
      )
      .returning({ row: dataRows.row });
    return released.length;
  }

  /** The versions of a table, the newest first. */
  async tableVersions(tableId: string): Promise<TableVersion[]> {
    const rows = await this.database
      .select()
      .from(dataVersions)
      .where(eq(dataVersions.tableId, tableId))
      .orderBy(desc(dataVersions.number));
    return rows.map(({ number, fromVersion, what, by, at, rows: touched }) => ({ number, from: fromVersion, what, by, at, rows: touched }));
  }

  /** Changes a table as one new version. Throws a sentence where the change does not fit the table; then nothing is changed. */
  async changeTable(tableId: string, change: TableChange, by: string, at: string): Promise<DataColumn[]> {
    return this.database.transaction(async (work) => {
      const { columns, version } = await this.#need(tableId, work);
      const [last] = await work
        .select({ number: sql<number>`coalesce(max(${dataVersions.number}), 0)::int` })
        .from(dataVersions)
        .where(eq(dataVersions.tableId, tableId));
      const number = (last?.number ?? 0) + 1;
      const touched = await new TableChanger(work, tableId, columns, number).apply(change);
      await work.insert(dataVersions).values({
        tableId,
        number,
        fromVersion: version,
        what: sayChange(change, columns),
        by,
        at,
        rows: touched.rows,
        columns,
      });
      await work.update(dataTables).set({ version: number, columns: touched.columns }).where(eq(dataTables.id, tableId));
      return touched.columns;
    });
  }

  /** Shows another version of a table: what led from the one to the other is taken back and made again. Spent rows stay spent. */
  async goToVersion(tableId: string, wanted: number): Promise<DataColumn[]> {
    return this.database.transaction(async (work) => {
      const { columns, version } = await this.#need(tableId, work);
      const versions = await work
        .select({ number: dataVersions.number, from: dataVersions.fromVersion })
        .from(dataVersions)
        .where(eq(dataVersions.tableId, tableId));
      if (wanted !== 0 && !versions.some((version) => version.number === wanted)) throw new Refusal(`The table has no version ${wanted}.`);
      const { back, again } = versionPath(versions, version, wanted);
      let now = columns;
      for (const number of [...back, ...again]) now = await swapVersion(work, tableId, number, now);
      await work.update(dataTables).set({ version: wanted, columns: now }).where(eq(dataTables.id, tableId));
      return now;
    });
  }

  async #need(tableId: string, database: Pick<Database, 'select'> = this.database): Promise<{ columns: DataColumn[]; version: number }> {
    const [table] = await database
      .select({ columns: dataTables.columns, version: dataTables.version })
      .from(dataTables)
      .where(eq(dataTables.id, tableId));
    if (!table) throw new Refusal('There is no such data table. It may have been deleted.');
    return table;
  }
}
