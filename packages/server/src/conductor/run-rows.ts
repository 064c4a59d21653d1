import type { DataTable } from '@sturdy/core';
import type { ToGenerator } from '@sturdy/engine';
import { RowDealer, type RowStore } from '../rows/row-dealer.js';

/** Rows that could not be leased for so many ms end the run. */
const failsAfterMs = 60_000;

/** Leases the rows of a run's tables. While the store cannot lease any, generators are told to ask again. */
export class RunRows {
  /** By table. */
  readonly #dealers: ReadonlyMap<string, RowDealer>;
  /** Since when none could be leased, in ms; null while they can. */
  #failingSinceMs: number | null = null;

  constructor(
    store: RowStore,
    tables: readonly DataTable[],
    leasedTo: string,
    seed: string,
    /** Hears once that rows cannot be leased, and once that they can again. */
    readonly onNote: (text: string) => void,
  ) {
    this.#dealers = new Map(tables.map((table) => [table.id, new RowDealer(store, table, leasedTo, seed)]));
  }

  /**
   * Leases rows, and gives the answer for the generator that asks. The lease is written before the rows leave, so a row that might have been used
   * counts as spent. Throws where rows could not be leased for a minute.
   */
  async lease(table: string, count: number): Promise<Extract<ToGenerator, { kind: 'rows' }>> {
    try {
      const rows = await this.#dealer(table).lease(count);
      if (this.#failingSinceMs !== null) this.onNote('data rows can be leased again');
      this.#failingSinceMs = null;
      return { kind: 'rows', table, rows, more: rows.length < count ? 'none-left' : 'perhaps' };
    } catch (error) {
      const reason = error instanceof Error ? (error.message.split('\n')[0] ?? '') : 'unknown reason';
      if (this.#failingSinceMs === null) {
        this.#failingSinceMs = performance.now();
        this.onNote(`data rows cannot be leased now (${reason}); users who need one wait`);
      }
      if (performance.now() - this.#failingSinceMs > failsAfterMs)
        throw new Error(`Rows could not be leased for ${failsAfterMs / 1000} s: ${reason}`, { cause: error });
      return { kind: 'rows', table, rows: [], more: 'not-now' };
    }
  }

  /** Takes back rows that nobody got. */
  async unused(table: string, rows: readonly number[]): Promise<void> {
    await this.#dealer(table).unused(rows);
  }

  /** The run is over: rows that were only held are free again. */
  async ended(): Promise<void> {
    for (const dealer of this.#dealers.values()) await dealer.ended();
  }

  #dealer(table: string): RowDealer {
    const dealer = this.#dealers.get(table);
    if (!dealer) throw new Error(`The run deals no rows of the table ${table}.`);
    return dealer;
  }
}
