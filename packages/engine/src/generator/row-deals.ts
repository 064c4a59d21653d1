import type { Crew, UserState } from '@sturdy/core';
import type { Row, Rows } from '../play/virtual-user.js';
import type { FromGenerator, LeasedRow, Plan } from './messages.js';
import { RowSupply, type MoreRows } from './row-supply.js';

/** ms for which rows that are on their way are waited for at the end, so that they can be given back. */
const lastRowsMs = 2000;
/** Rows that are leased at a time, at the most. */
const largestLease = 50;

/** A row of a data table by its number. */
export interface RowPlace {
  table: string;
  row: number;
}

/** The rows of a plan's data tables: leased in blocks from the conductor, dealt to virtual users one by one, given back at the end. */
export class RowDeals {
  readonly #tables: ReadonlyMap<string, Plan['tables'][number]>;
  readonly #supplies = new Map<string, RowSupply>();
  #ends = false;
  readonly #listed: ReadonlyMap<string, readonly Row[]>;
  readonly #numbers = new WeakMap<Row, number>();

  constructor(
    plan: Plan,
    readonly send: (message: FromGenerator) => void,
    /** Hears of each row that a user of a crew was dealt. */
    readonly onDealt: (crew: string, table: string) => void,
  ) {
    this.#tables = new Map(plan.tables.map((table) => [table.table, table]));
    this.#listed = new Map(
      plan.tables.flatMap(({ table, columns, rows }) => (rows ? [[table, rows.map((row) => this.#rowOf(columns, row))] as const] : [])),
    );
    const userCount = plan.crews.reduce((sum, { users }) => sum + users.length, 0);
    const block = Math.max(1, Math.min(largestLease, Math.ceil(userCount / 2)));
    for (const { table } of plan.tables)
      this.#supplies.set(
        table,
        new RowSupply(block, (count) => {
          this.send({ kind: 'lease', table, count });
        }),
      );
  }

  /** Takes in the answer to a lease. */
  arrive(table: string, rows: readonly LeasedRow[], more: MoreRows): void {
    this.#supplies.get(table)?.arrive(rows, more);
  }

  /** The run ends: nobody waits any longer for rows that cannot be leased now. */
  waitNoLonger(): void {
    this.#ends = true;
    for (const supply of this.#supplies.values()) supply.waitNoLonger();
  }

  /** The run is aborted: nobody waits for rows any more. */
  abandon(): void {
    this.#ends = true;
    for (const supply of this.#supplies.values()) supply.abandon();
  }

  /** All rows of a table that a loop goes through; null where each round is dealt a row of its own. */
  listed(table: string): readonly Row[] | null {
    return this.#listed.get(table) ?? null;
  }

  /** The rows of an iteration, those that a user keeps from one to the next among them; null where a table has none left. */
  async forIteration(tables: readonly string[], crew: Crew, state: UserState, kept: Map<string, Row>): Promise<Rows | null> {
    const rows = new Map<string, Row>();
    for (const table of tables) {
      const row = kept.get(table) ?? (await this.next(table, crew, state));
      if (!row) return null;
      if (this.#tables.get(table)?.deal.when !== 'iteration') kept.set(table, row);
      rows.set(table, row);
    }
    return rows;
  }

  /** The next row of a table for a user; null where there is none left. */
  async next(table: string, crew: Crew, state: UserState): Promise<Row | null> {
    const known = this.#tables.get(table);
    const row = (await this.#supplies.get(table)?.deal()) ?? null;
    if (!row && this.#ends) return null;
    if (!known || !row) {
      state.lastError = 'The data table has no free row left.';
      if (known?.deal.whenEmpty === 'end-run') this.send({ kind: 'end-run', reason: 'A data table has no free row left.' });
      return null;
    }
    state.row = row.row;
    this.onDealt(crew.id, table);
    return this.#rowOf(known.columns, row);
  }

  /** Where the rows of an iteration stand in their tables. */
  placesOf(rows: Rows): RowPlace[] {
    return [...rows].map(([table, row]) => ({ table, row: this.#numbers.get(row) ?? 0 }));
  }

  #rowOf(columns: readonly string[], { row, values }: LeasedRow): Row {
    const cells: Row = new Map(columns.map((column, at) => [column, values[at] ?? '']));
    this.#numbers.set(cells, row);
    return cells;
  }

  /** Gives the rows back that nobody got. */
  async giveBack(): Promise<void> {
    for (const [table, supply] of this.#supplies) {
      await supply.settled(lastRowsMs);
      const rows = supply.unused();
      if (rows.length > 0) this.send({ kind: 'unused', table, rows });
    }
  }
}
