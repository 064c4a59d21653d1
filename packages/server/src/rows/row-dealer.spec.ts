import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { onceInOrder, plainColumns, type DataTable, type Deal } from '@sturdy/core';
import fc from 'fast-check';
import { emptyDatabaseFile, migrationsFolder, storeWorkerFile } from '../shipped/files.js';
import { openStore, type Store } from '../store/store-client.js';
import { RowDealer } from './row-dealer.js';

const directory = mkdtempSync(join(tmpdir(), 'sturdy-dealer-'));
let store: Store;
beforeAll(async () => {
  store = await openStore(
    { directory },
    {
      worker: storeWorkerFile,
      migrations: migrationsFolder,
      emptyDatabase: emptyDatabaseFile,
      secretsFolder: join(directory, 'secrets'),
    },
  );
});
afterAll(async () => {
  await store.close();
  rmSync(directory, { recursive: true, force: true });
});

let made = 0;
async function tableOf(rowCount: number, deal: Partial<Deal>): Promise<DataTable> {
  const id = `d${++made}`;
  await store.saveTable(
    { id, projectId: 'p', name: id, columns: plainColumns(['n']), deal: { ...onceInOrder, ...deal } },
    Array.from({ length: rowCount }, (_, at) => [String(at + 1)]),
  );
  const table = (await store.tables('p')).find((dataTable) => dataTable.id === id);
  if (!table) throw new Error('the table was saved');
  return table;
}
const numbers = async (dealer: RowDealer, count: number) => (await dealer.lease(count)).map((row) => row.row);
const spent = async (table: DataTable) => (await store.rows(table.id, 1, 1000)).filter((row) => row.spentBy !== null).map((row) => row.row);

describe('dealing rows', () => {
  it('once: no row twice and none lost, whatever crews, generators, crashes and restarts do', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 1, max: 60 }),
        fc.constantFrom<Deal['order']>('listed', 'shuffled'),
        // Each run: what its generators ask for in turn, how many rows of that are really used, and how it ends.
        fc.array(
          fc.record({
            asks: fc.array(fc.record({ count: fc.integer({ min: 1, max: 12 }), used: fc.integer({ min: 0, max: 12 }) }), { maxLength: 6 }),
            ends: fc.constantFrom('well', 'crash'),
          }),
          { minLength: 1, maxLength: 4 },
        ),
        async (rowCount, order, runs) => {
          const table = await tableOf(rowCount, { order });
          const used = new Set<number>();
          let given = 0;
          for (const [at, run] of runs.entries()) {
            const dealer = new RowDealer(store, table, `run ${at}`, 'seed');
            const leases = await Promise.all(run.asks.map(({ count }) => dealer.lease(count)));
            for (const [index, lease] of leases.entries()) {
              const rows = lease.map((row) => row.row);
              const usedRows = rows.slice(0, run.asks[index]?.used);
              for (const row of usedRows) {
                // Nobody was ever dealt this row before.
                expect(used.has(row)).toBe(false);
                used.add(row);
                given++;
              }
              if (run.ends === 'well') await dealer.unused(rows.slice(usedRows.length));
            }
            if (run.ends === 'well') await dealer.ended();
            else await store.closeOpen();
            const marked = new Set(await spent(table));
            // What was used is marked; a row that is not marked can still be dealt.
            for (const row of used) expect(marked.has(row)).toBe(true);
          }
          expect(given).toBe(used.size);
          const rest = new RowDealer(store, table, 'the rest', 'other');
          const free = rowCount - (await spent(table)).length;
          expect((await numbers(rest, rowCount + 5)).length).toBe(free);
          expect((await spent(table)).length).toBe(rowCount);
        },
      ),
      { numRuns: 15 },
    );
  });

  it('exclusive: no two have a row at the same time, and all are free after the run, after a crash too', async () => {
    const table = await tableOf(5, { when: 'user', use: 'exclusive' });
    const first = new RowDealer(store, table, 'run 1', 's');
    expect(await numbers(first, 3)).toEqual([1, 2, 3]);
    expect(await numbers(new RowDealer(store, table, 'rehearsal x', 's'), 9)).toEqual([4, 5]);
    await first.ended();
    expect(await spent(table)).toEqual([4, 5]);
    await store.closeOpen();
    expect(await spent(table)).toEqual([]);
  });

  it('again: in turn, over and over, shuffled or at random, and nothing is ever spent', async () => {
    const dealt = async (deal: Partial<Deal>, count: number) => {
      const table = await tableOf(4, { use: 'again', ...deal });
      const rows = await numbers(new RowDealer(store, table, 'run 1', 's'), count);
      expect(await spent(table)).toEqual([]);
      expect(await numbers(new RowDealer(store, table, 'run 2', 's'), count)).toEqual(rows);
      return rows;
    };
    expect(await dealt({}, 6)).toEqual([1, 2, 3, 4]);
    expect(await dealt({ whenEmpty: 'start-over' }, 6)).toEqual([1, 2, 3, 4, 1, 2]);
    const shuffled = await dealt({ order: 'shuffled', whenEmpty: 'start-over' }, 8);
    expect([...shuffled.slice(0, 4)].sort()).toEqual([1, 2, 3, 4]);
    expect(shuffled.slice(4)).toEqual(shuffled.slice(0, 4));
    const random = await dealt({ order: 'random' }, 200);
    expect(new Set(random).size).toBe(4);
    expect(random.length).toBe(200);
  });

  it('for a whole run: everybody gets the same row, and it alone is spent', async () => {
    const table = await tableOf(5, { when: 'run' });
    const dealer = new RowDealer(store, table, 'run 1', 's');
    expect(await Promise.all([numbers(dealer, 3), numbers(dealer, 2)])).toEqual([
      [1, 1, 1],
      [1, 1],
    ]);
    await dealer.unused([1]);
    expect(await spent(table)).toEqual([1]);
  });
});
