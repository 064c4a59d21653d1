import { isEndless, shuffledSerials, type DataTable } from '@sturdy/core';
import type { LeasedRow } from '@sturdy/engine';
import seedrandom from 'seedrandom';
import type { Store } from '../store/store-client.js';

/** What a dealer needs of the store. */
export type RowStore = Pick<Store, 'leaseRows' | 'releaseRows' | 'rowsAt' | 'rowNumbers'>;

/** Shows how rows would be dealt without taking any: each lease goes on where the one before ended. */
export function peeking(store: Pick<Store, 'freeRows' | 'rowsAt' | 'rowNumbers'>): RowStore {
  let shown = 0;
  return {
    leaseRows: async (tableId, count, _spentBy, shuffle) => {
      const next = (await store.freeRows(tableId, shown + count, shuffle ?? null)).slice(shown);
      shown += next.length;
      return next;
    },
    releaseRows: () => Promise.resolve(0),
    rowsAt: (tableId, numbers) => store.rowsAt(tableId, numbers),
    rowNumbers: (tableId) => store.rowNumbers(tableId),
  };
}

/**
 * Deals the rows of one table in one run, as its deal says. Rows that are used once, or by one user at a time, are written as spent before
 * they leave; what a crash leaves is spent and not dealt twice.
 */
export class RowDealer {
  #cursor = 0;
  #shared: Promise<LeasedRow[]> | null = null;
  #numbers: Int32Array | null = null;
  readonly #random: () => number;
  readonly #order: (index: number) => number;

  constructor(
    readonly store: RowStore,
    readonly table: DataTable,
    /** Who the rows are leased to, such as `run 7`. */
    readonly spentBy: string,
    readonly seed: string,
  ) {
    this.#random = seedrandom(`${seed}:deal:${table.id}`);
    this.#order = table.deal.order === 'listed' ? (index) => index % table.rowCount : shuffledSerials(table.rowCount, this.#random);
  }

  /** The next rows; fewer than asked for say that there are no more. */
  async lease(count: number): Promise<LeasedRow[]> {
    if (this.table.deal.when !== 'run') return this.#next(count);
    this.#shared ??= this.#next(1).catch((error: unknown) => {
      // The next who asks may have better luck.
      this.#shared = null;
      throw error;
    });
    const [row] = await this.#shared;
    return row ? Array.from({ length: count }, () => row) : [];
  }

  async #next(count: number): Promise<LeasedRow[]> {
    const { deal, id, rowCount } = this.table;
    if (deal.use !== 'again') return this.store.leaseRows(id, count, this.spentBy, deal.order === 'listed' ? null : this.seed);
    const left = isEndless(deal) ? count : Math.min(count, rowCount - this.#cursor);
    if (left <= 0 || rowCount === 0) return [];
    const from = this.#cursor;
    // Taken before anything is waited for, so that two who ask at once get different rows.
    this.#cursor += left;
    const places = Array.from({ length: left }, (_, at) =>
      deal.order === 'random' ? Math.floor(this.#random() * rowCount) : this.#order(from + at),
    );
    // Rows keep their numbers where others are deleted, so the n-th row is not row n.
    const known = (this.#numbers ??= await this.store.rowNumbers(id));
    const numbers = places.flatMap((place) => known[place] ?? []);
    const rows = new Map((await this.store.rowsAt(id, [...new Set(numbers)])).map((row) => [row.row, row]));
    return numbers.flatMap((row) => rows.get(row) ?? []);
  }

  /** Takes back rows that were leased and that nobody got. */
  async unused(rows: readonly number[]): Promise<void> {
    const { deal, id } = this.table;
    // The one row of a whole run was used, whoever did not get it.
    if (deal.use !== 'again' && deal.when !== 'run') await this.store.releaseRows(id, [...rows], this.spentBy);
  }

  /** The run is over: rows that were only held are free again. */
  async ended(): Promise<void> {
    if (this.table.deal.use === 'exclusive') await this.store.releaseRows(this.table.id, null, this.spentBy);
  }
}
