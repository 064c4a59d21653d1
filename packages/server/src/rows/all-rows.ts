import type { DataRow } from '@sturdy/core';
import type { Store } from '../store/store-client.js';

const rowsAtOnce = 5000;

/** All rows of a table, some at once, in the order of the table. */
export async function* allRows(store: Pick<Store, 'rows'>, tableId: string): AsyncGenerator<DataRow[]> {
  for (let from = 1; ;) {
    const rows = await store.rows(tableId, from, rowsAtOnce);
    if (rows.length > 0) yield rows;
    const last = rows.at(-1);
    if (!last || rows.length < rowsAtOnce) return;
    from = last.row + 1;
  }
}
