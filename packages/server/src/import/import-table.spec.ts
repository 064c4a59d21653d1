import { Readable } from 'node:stream';
import { tableImportWorkerFile } from '../shipped/files.js';
import type { NewTable } from '../store/table-repository.js';
import type { Store } from '../store/store-client.js';
import { generateTable, importTable } from './import-table.js';

/** A store that remembers; `failsAt` makes it fail once so many rows are there. */
class FakeStore {
  readonly rows: string[][] = [];
  readonly deleted: string[] = [];
  saved: NewTable | null = null;
  constructor(readonly failsAt = Infinity) {}
  importRows = (_id: string, before: number, rows: string[][]) => {
    expect(before).toBe(this.rows.length);
    if (before + rows.length > this.failsAt) return Promise.reject(new Error('The disk is full'));
    this.rows.push(...rows);
    return Promise.resolve();
  };
  saveTable = (table: NewTable) => Promise.resolve(void (this.saved = table));
  deleteTable = (id: string) => Promise.resolve(void this.deleted.push(id));
}
const lines = (count: number): string => `n;name\n${Array.from({ length: count }, (_, at) => `${at};"row ${at}"`).join('\n')}\n`;

async function imported(source: Readable, store = new FakeStore(), signal = new AbortController().signal) {
  const progress: number[] = [];
  const table = await importTable(
    store as unknown as Store,
    tableImportWorkerFile,
    source,
    { projectId: 'p', name: 'T' },
    { ragged: 'skip' },
    (rows) => progress.push(rows),
    signal,
  );
  return { table, progress: progress, store };
}

describe('importing a table while it is uploaded', () => {
  it('stores batch by batch, tells how many rows there are, and keeps the table once it is whole', async () => {
    const text = lines(12_000);
    const { table, progress, store } = await imported(Readable.from([Buffer.from(text.slice(0, 70_001)), Buffer.from(text.slice(70_001))]));
    expect([table.rowCount, store.rows.length, progress]).toEqual([12_000, 12_000, [5000, 10_000, 12_000]]);
    expect(store.rows[11_999]).toEqual(['11999', 'row 11999']);
    expect(store.saved).toMatchObject({
      id: table.id,
      name: 'T',
      columns: [
        { name: 'n', kind: 'number' },
        { name: 'name', kind: 'text' },
      ],
    });
  });

  it('leaves nothing where it is cancelled, the upload is broken off, or the store fails', async () => {
    const cancel = new AbortController();
    const slow = new FakeStore();
    const importing = imported(Readable.from([Buffer.from(lines(60_000))]), slow, cancel.signal);
    slow.importRows = async (_id, _before, rows) => {
      slow.rows.push(...rows);
      cancel.abort();
      await new Promise((done) => setTimeout(done, 30));
    };
    await expect(importing).rejects.toThrow('nothing of it was kept');
    expect(slow.saved).toBeNull();
    expect(slow.deleted).toHaveLength(1);
    const cut = Readable.from(
      (function* () {
        yield Buffer.from('n\n1\n');
        throw new Error('socket hang up');
      })(),
    );
    await expect(imported(cut)).rejects.toThrow('nothing of it was kept');
    const full = new FakeStore(6000);
    await expect(imported(Readable.from([Buffer.from(lines(20_000))]), full)).rejects.toThrow('The disk is full');
    expect([full.saved, full.deleted.length]).toEqual([null, 1]);
  });

  it('says what is wrong with what is no table, and with one without rows', async () => {
    await expect(imported(Readable.from([Buffer.from('')]))).rejects.toThrow('The file is empty.');
    await expect(imported(Readable.from([Buffer.from('a,b\n1\n')]))).rejects.toThrow(
      'has 2 columns but no row that fits them. Line 2 has 1 fields',
    );
  });
});

describe('a table of generated rows', () => {
  const columns = [{ name: 'n', kind: 'text' as const, unique: false }];
  const generated = (count: number, store: FakeStore, signal = new AbortController().signal, digits = 6) =>
    generateTable(
      store as unknown as Store,
      tableImportWorkerFile,
      { columns: [{ kind: 'iso7064', name: 'n', system: 'mod 97-10', prefix: '25', digits }], count, seed: 'one', nowMs: 0 },
      { projectId: 'p', name: 'T', columns },
      () => undefined,
      signal,
    );

  it('is stored batch by batch by a thread of its own, so that this one goes on', async () => {
    const store = new FakeStore();
    let turns = 0;
    const turning = setInterval(() => turns++, 5);
    const id = await generated(60_000, store);
    clearInterval(turning);
    expect(turns).toBeGreaterThan(3);
    expect([store.rows.length, new Set(store.rows.flat()).size]).toEqual([60_000, 60_000]);
    expect(store.saved).toMatchObject({ id, columns });
  });

  it('leaves nothing where it is cancelled, and says which column cannot be made', async () => {
    const cancel = new AbortController();
    const store = new FakeStore();
    const making = generated(100_000, store, cancel.signal);
    store.importRows = (_id, _before, rows) => {
      store.rows.push(...rows);
      cancel.abort();
      return Promise.resolve();
    };
    await expect(making).rejects.toThrow('nothing of it was kept');
    expect([store.saved, store.deleted.length]).toEqual([null, 1]);
    await expect(generated(1000, new FakeStore(), undefined, 2)).rejects.toMatchObject({
      title: 'The rows cannot be made',
      detail: expect.stringContaining('“n”') as string,
    });
  });
});
