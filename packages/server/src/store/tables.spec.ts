import { allRows, onceInOrder, TableWishSchema, type DataColumn, type TableChange, type TableWish } from '@sturdy/core';
import fc from 'fast-check';
import { onBothDatabases } from '../test/both-databases.js';
import type { Store } from './store-client.js';

const columns: DataColumn[] = [
  { name: 'container', kind: 'text', unique: true },
  { name: 'kg', kind: 'number', unique: false },
  { name: 'due', kind: 'date', unique: false },
];
const start = [
  ['TWCU7700008', '900', '2026-11-25'],
  ['TWCU7700013', '1250.5', '2026-02-01'],
  ['TWCU7700029', '', '2027-01-31'],
  ['TWCU7700013', 'heavy', ''],
];
const wish = (given: Partial<TableWish>): TableWish => TableWishSchema.parse(given);

onBothDatabases('tables', (opened) => {
  let store: Store;
  let made = 0;
  beforeAll(() => {
    store = opened();
  });

  async function table(rows: string[][] = start): Promise<string> {
    const id = `t${++made}`;
    await store.saveTable({ id, projectId: 'p', name: id, columns, deal: onceInOrder }, rows);
    return id;
  }
  const change = (id: string, tableChange: TableChange) => store.changeTable(id, tableChange, 'Ada', '2026-11-25T08:00:00Z');
  const shown = async (id: string) => (await store.viewTable(id, allRows, 0, 100)).rows.map((row) => [row.row, ...row.values]);
  const found = async (id: string, given: Partial<TableWish>) =>
    (await store.viewTable(id, wish(given), 0, 100)).rows.map((row) => row.row);

  it('finds rows by what stands in them, compared as what the column is', async () => {
    const id = await table();
    expect(await found(id, { filters: [{ column: 1, is: 'more', text: '99' }] })).toEqual([1, 2]);
    expect(await found(id, { filters: [{ column: 2, is: 'less', text: '2026-12-01' }] })).toEqual([1, 2]);
    expect(await found(id, { filters: [{ column: 1, is: 'empty', text: '' }] })).toEqual([3]);
    expect(await found(id, { text: '00013' })).toEqual([2, 4]);
    expect(await found(id, { text: '%' })).toEqual([]);
    expect(await found(id, { only: 'misfit' })).toEqual([4]);
    expect(await found(id, { only: 'twice' })).toEqual([2, 4]);
    expect(await store.duplicates(id)).toEqual([{ column: 0, rows: 2, example: 'TWCU7700013' }]);
    await store.leaseRows(id, 1, 'run 1');
    expect([await found(id, { only: 'spent' }), await found(id, { only: 'free' })]).toEqual([[1], [2, 3, 4]]);
  });

  it('puts rows in order as numbers and dates, those that are neither at the end', async () => {
    const id = await table();
    expect(await found(id, { sort: [{ column: 1, down: false }] })).toEqual([1, 2, 3, 4]);
    expect(await found(id, { sort: [{ column: 1, down: true }] })).toEqual([2, 1, 3, 4]);
    expect(await found(id, { sort: [{ column: 2, down: false }] })).toEqual([2, 1, 3, 4]);
    const { rows, total } = await store.viewTable(id, wish({ sort: [{ column: 2, down: true }] }), 1, 2);
    expect([rows.map((row) => row.row), total]).toEqual([[1, 2], 4]);
  });

  it('changes cells, rows and columns, and takes all of it back and makes it again', async () => {
    const id = await table(start.slice(0, 2));
    await change(id, { kind: 'set-cells', cells: [{ row: 1, column: 1, text: '901' }] });
    await change(id, { kind: 'add-rows', rows: [['TWCU7700034', '5']] });
    await change(id, { kind: 'delete-rows', rows: [2] });
    expect((await change(id, { kind: 'add-column', name: 'note' })).map((column) => column.name)).toEqual([
      'container',
      'kg',
      'due',
      'note',
    ]);
    await change(id, { kind: 'set-cells', cells: [{ row: 1, column: 3, text: 'new' }] });
    await change(id, { kind: 'rename-column', column: 3, name: 'remark' });
    const last = [
      [1, 'TWCU7700008', '901', '2026-11-25', 'new'],
      [3, 'TWCU7700034', '5', '', ''],
    ];
    expect(await shown(id)).toEqual(last);
    const versions = await store.tableVersions(id);
    expect(versions.map((version) => [version.number, version.from, version.what, version.by])).toEqual([
      [6, 5, 'note is called remark', 'Ada'],
      [5, 4, 'note of row 1 changed', 'Ada'],
      [4, 3, 'column note added', 'Ada'],
      [3, 2, '1 row deleted', 'Ada'],
      [2, 1, '1 row added', 'Ada'],
      [1, 0, 'kg of row 1 changed', 'Ada'],
    ]);
    expect(await store.goToVersion(id, 0)).toEqual(columns);
    expect(await shown(id)).toEqual([
      [1, ...(start[0] ?? [])],
      [2, ...(start[1] ?? [])],
    ]);
    expect((await store.goToVersion(id, 6)).at(-1)?.name).toBe('remark');
    expect(await shown(id)).toEqual(last);
  });

  it('leaves a branch where one goes on from an earlier version, and both can be had back', async () => {
    const id = await table(start.slice(0, 1));
    await change(id, { kind: 'set-cells', cells: [{ row: 1, column: 1, text: 'a' }] });
    await store.goToVersion(id, 0);
    await change(id, { kind: 'set-cells', cells: [{ row: 1, column: 1, text: 'b' }] });
    expect((await shown(id))[0]?.[2]).toBe('b');
    await store.goToVersion(id, 1);
    expect((await shown(id))[0]?.[2]).toBe('a');
    await store.goToVersion(id, 2);
    expect((await shown(id))[0]?.[2]).toBe('b');
  });

  it('a row that was spent when it was deleted comes back spent, and its number is never given again', async () => {
    const id = await table(start.slice(0, 2));
    await store.leaseRows(id, 1, 'run 7');
    await change(id, { kind: 'delete-rows', rows: [1, 2] });
    await change(id, { kind: 'add-rows', rows: [['TWCU7700034']] });
    expect((await shown(id)).map(([row]) => row)).toEqual([3]);
    await store.goToVersion(id, 0);
    expect((await store.rows(id, 1, 9)).map((row) => [row.row, row.spentBy])).toEqual([
      [1, 'run 7'],
      [2, null],
    ]);
    expect((await store.leaseRows(id, 5, 'run 8')).map((row) => row.row)).toEqual([2]);
  });

  it('pastes a block over what is shown, and what goes past the end behind it', async () => {
    const id = await table(start.slice(0, 3));
    const sort = wish({ sort: [{ column: 2, down: true }] });
    await change(id, {
      kind: 'paste',
      wish: sort,
      at: 1,
      column: 1,
      text: '1\tx\n2\ty\n3\tz',
    });
    expect(await shown(id)).toEqual([
      [1, 'TWCU7700008', '1', 'x'],
      [2, 'TWCU7700013', '2', 'y'],
      [3, 'TWCU7700029', '', '2027-01-31'],
      [4, '', '3', 'z'],
    ]);
    await expect(change(id, { kind: 'paste', wish: allRows, at: 0, column: 2, text: '1\t2' })).rejects.toThrow('only 1 are there');
  });

  it('fills a column, and replaces a text in all rows that were found', async () => {
    const id = await table(start.slice(0, 3));
    await change(id, { kind: 'fill', wish: wish({ filters: [{ column: 1, is: 'empty', text: '' }] }), column: 1, text: '0' });
    await change(id, { kind: 'fill', wish: allRows, column: 0, text: 'TWDU', instead: 'TWCU' });
    expect(await shown(id)).toEqual([
      [1, 'TWDU7700008', '900', '2026-11-25'],
      [2, 'TWDU7700013', '1250.5', '2026-02-01'],
      [3, 'TWDU7700029', '0', '2027-01-31'],
    ]);
    expect((await store.tableVersions(id)).map((version) => version.rows)).toEqual([3, 1]);
  });

  it('any changes, taken back one by one, lead to the table as it was', async () => {
    const text = fc.string({ maxLength: 5 });
    const arbitrary: fc.Arbitrary<TableChange> = fc.oneof(
      fc.record({
        kind: fc.constant('set-cells' as const),
        cells: fc.array(fc.record({ row: fc.integer({ min: 1, max: 6 }), column: fc.constant(0), text }), { minLength: 1, maxLength: 4 }),
      }),
      fc.record({
        kind: fc.constant('add-rows' as const),
        rows: fc.array(fc.array(text, { maxLength: 4 }), { minLength: 1, maxLength: 3 }),
      }),
      fc.record({
        kind: fc.constant('delete-rows' as const),
        rows: fc.array(fc.integer({ min: 1, max: 8 }), { minLength: 1, maxLength: 3 }),
      }),
      fc.constant<TableChange>({ kind: 'add-column', name: 'more' }),
      fc.constant<TableChange>({ kind: 'delete-column', column: 1 }),
      fc.record({ kind: fc.constant('fill' as const), wish: fc.constant(allRows), column: fc.constant(0), text }),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(arbitrary, { maxLength: 6 }), async (changes) => {
        const id = await table();
        const states = [await shown(id)];
        for (const given of changes)
          await change(id, given).then(
            async () => states.push(await shown(id)),
            () => undefined,
          );
        const order = fc.sample(fc.shuffledSubarray(states.map((_, at) => at)), { numRuns: 1, seed: changes.length })[0] ?? [];
        for (const at of [...order, 0]) {
          await store.goToVersion(id, at);
          expect(await shown(id)).toEqual(states[at]);
        }
      }),
      { numRuns: 12 },
    );
  });

  it('sees columns that are all but unique', async () => {
    const rows = Array.from({ length: 40 }, (_, at) => [`TWCU${at === 39 ? 0 : at}`, String(at % 2), '']);
    expect(await store.nearlyUnique(await table(rows))).toEqual([{ column: 0, rows: 2, example: 'TWCU0' }]);
  });
});
