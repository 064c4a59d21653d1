import {
  cellPatterns,
  CsvReader,
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
import { readDocument, storedJson, storedText } from './stored-text.js';
import * as tables from './tables.js';

/** Rows that are written in one statement. */
const chunkRows = 5000;
/** A table has no more rows than this, changes included. */
const mostTableRows = 2_000_000;

/** A table as it is made; its rows are written apart. */
export type NewTable = Pick<DataTable, 'id' | 'projectId' | 'name' | 'columns' | 'deal'>;

/** Where this share of the rows at most has a value that another row has too, the column was meant to be unique. */
const fewTwice = 0.1;

const { dataTables, dataRows, dataVersions, dataVersionRows } = tables;
// A row that is older than a column has no value for it; that reads as an empty one.
const cell = (column: number): SQL => sql`coalesce(r.values ->> ${column}::int, '')`;
/** A row with a cell for each column. */
const padded = (values: readonly string[], columns: readonly unknown[]): string[] => columns.map((_, at) => values[at] ?? '');

/** A cell as a number or a moment, so that it is put in order as what it is; null where it is neither. */
function comparable(column: DataColumn | undefined, at: number): SQL {
  const text = cell(at);
  if (column?.kind === 'number') return sql`(case when ${text} ~ ${cellPatterns.number} then (${text})::numeric end)`;
  // Days and moments of ISO 8601 in one zone are in order as texts; a blank counts as the T between day and time.
  if (column?.kind === 'date') return sql`(case when ${text} ~ ${cellPatterns.date} then replace(${text}, ' ', 'T') end) collate "C"`;
  return sql`lower(${text})`;
}

/** Data tables, their rows and their versions. Lives in the store's worker thread, as `Repository` does. */
export class TableRepository {
  constructor(readonly database: Database) {}

  async tables(projectId: string): Promise<DataTable[]> {
    const rows = await this.database.select().from(dataTables).where(eq(dataTables.projectId, projectId)).orderBy(asc(dataTables.id));
    const counts = await this.database
      .select({
        tableId: dataRows.tableId,
        rowCount: sql<number>`count(*)::int`,
        spentCount: sql<number>`count(${dataRows.spentBy})::int`,
      })
      .from(dataRows)
      .groupBy(dataRows.tableId);
    return rows.map((row) => {
      const count = counts.find((one) => one.tableId === row.id);
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
    for (const [column, one] of columns.entries()) {
      if (!one.unique) continue;
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
    return Int32Array.from(rows, (one) => one.row);
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
      if (wanted !== 0 && !versions.some((one) => one.number === wanted)) throw new Refusal(`The table has no version ${wanted}.`);
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

type Work = Pick<Database, 'execute' | 'select' | 'insert' | 'update' | 'delete'>;

/** Rows of a query that no builder can say; both databases give them in `rows`. */
async function read<T extends Record<string, unknown>>(database: Pick<Database, 'execute'>, query: SQL): Promise<T[]> {
  return readDocument(((await database.execute<T>(query)) as { rows: T[] }).rows);
}

/** Writes rows behind the first `before` ones; one JSON text for all is the fastest form that both databases read. */
async function appendRows(work: Pick<Database, 'execute'>, tableId: string, before: number, rows: readonly string[][]): Promise<void> {
  await work.execute(
    sql`insert into data_rows (table_id, row, values) select ${tableId}, ${before}::int + n::int, v from jsonb_array_elements(${storedJson(rows)}::jsonb) with ordinality as given(v, n)`,
  );
}

const likeText = (text: string): string => storedText(text).replace(/[\\%_]/g, (sign) => `\\${sign}`);

/** The condition of the rows that are wished for, over `data_rows r`. */
function foundRows(tableId: string, columns: readonly DataColumn[], wish: TableWish): SQL {
  const conditions: SQL[] = [sql`r.table_id = ${tableId}`];
  if (wish.text !== '')
    conditions.push(
      // What is written without escapes in JSON is found in the row as one text, which takes a fifth of the time.
      /["\\\p{Cc}]/u.test(wish.text)
        ? sql`exists (select 1 from jsonb_array_elements_text(r.values) c where c ilike ${`%${likeText(wish.text)}%`})`
        : sql`r.values::text ilike ${`%${likeText(wish.text)}%`}`,
    );
  for (const { column, is, text } of wish.filters) {
    const own = cell(column);
    const known = columns[column];
    if (is === 'contains') conditions.push(sql`${own} ilike ${`%${likeText(text)}%`}`);
    else if (is === 'lacks') conditions.push(sql`${own} not ilike ${`%${likeText(text)}%`}`);
    else if (is === 'starts') conditions.push(sql`${own} ilike ${`${likeText(text)}%`}`);
    else if (is === 'equals') conditions.push(sql`${own} = ${storedText(text)}`);
    else if (is === 'differs') conditions.push(sql`${own} <> ${storedText(text)}`);
    else if (is === 'empty') conditions.push(sql`${own} = ''`);
    else if (is === 'filled') conditions.push(sql`${own} <> ''`);
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

function inOrder(columns: readonly DataColumn[], wish: TableWish): SQL {
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

/** Exchanges a version with what the table shows; says how the columns are then. */
async function swapVersion(work: Work, tableId: string, number: number, columns: DataColumn[]): Promise<DataColumn[]> {
  const other = sql`(select row, values, spent_by from data_version_rows where table_id = ${tableId} and number = ${number})`;
  const shown = await read<{ row: number; values: string[] | null; spent_by: string | null }>(
    work,
    sql`select o.row, r.values, r.spent_by from ${other} o left join data_rows r on r.table_id = ${tableId} and r.row = o.row`,
  );
  await work.execute(sql`delete from data_rows r using ${other} o where r.table_id = ${tableId} and r.row = o.row and o.values is null`);
  // A row that comes back is as spent as it was when it went, and one that stayed is as spent as it is now.
  await work.execute(
    sql`insert into data_rows (table_id, row, values, spent_by) select ${tableId}, o.row, o.values, o.spent_by from ${other} o where o.values is not null on conflict (table_id, row) do update set values = excluded.values`,
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
class TableChanger {
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
        if (change.cells.some((one) => one.column >= columns.length)) throw new Refusal('A cell lies beside the last column.');
        const wanted = new Map<number, Map<number, string>>();
        for (const { row, column: own, text } of change.cells)
          wanted.set(row, (wanted.get(row) ?? new Map<number, string>()).set(own, text));
        const before = await read<{ row: number; values: string[] }>(
          this.work,
          sql`select r.row, r.values from data_rows r where r.table_id = ${this.tableId} and r.row in (select n::int from jsonb_array_elements_text(${JSON.stringify([...wanted.keys()])}::jsonb) n)`,
        );
        const after = before.map(({ row, values }) => ({
          row,
          values: padded(values, columns).map((text, own) => wanted.get(row)?.get(own) ?? text),
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
        const own = cell(column);
        const text =
          change.instead === undefined
            ? sql`${storedText(change.text)}::text`
            : sql`replace(${own}, ${storedText(change.instead)}, ${storedText(change.text)})`;
        const rows = await this.#keep(
          change.instead === undefined ? found : sql`${found} and position(${storedText(change.instead)} in ${own}) > 0`,
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
    const over = cells.slice(targets.length).map((row) => columns.map((_, own) => row[own - column] ?? ''));
    const touched = await this.#rewrite(
      targets.map(({ row, values }, index) => ({
        row,
        values: padded(values, columns).map((text, own) => cells[index]?.[own - column] ?? text),
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
