import { once } from 'node:events';
import { Readable } from 'node:stream';
import { Worker } from 'node:worker_threads';
import type { Exchange, Take } from '@sturdy/core';
import { importWorkerFile } from '../shipped/files.js';
import type { Store } from '../store/store-client.js';
import { importHarStream } from './import-har.js';
import type { FromImport, ToImport } from './import.worker.js';

/** Notes what is asked of the store, in order; each write takes a moment. */
function slowStore() {
  const asked: string[] = [];
  const kept = new Map<string, Exchange[]>();
  const slowly = (what: string, act: () => void = () => undefined) =>
    new Promise<void>((done) =>
      setTimeout(() => {
        asked.push(what);
        act();
        done();
      }, 5),
    );
  const store = {
    saveTake: (take: Take) => slowly('take', () => kept.set(take.id, kept.get(take.id) ?? [])),
    putBodies: () => slowly('bodies'),
    saveExchanges: (id: string, docs: Exchange[]) => slowly('exchanges', () => kept.set(id, [...(kept.get(id) ?? []), ...docs])),
    renumberExchanges: () => slowly('renumber'),
    hasMessages: () => Promise.resolve(false),
    deleteTake: (id: string) => slowly('delete', () => kept.delete(id)),
  } as unknown as Store;
  return { store, asked, kept };
}

const entry = (n: number, minute = n) =>
  JSON.stringify({
    startedDateTime: new Date(Date.UTC(2026, 10, 23, 10, minute)).toISOString(),
    time: 1,
    request: { method: 'GET', url: `http://127.0.0.1:1/${n}`, headers: [] },
    response: { status: 200, headers: [], content: { mimeType: 'text/plain', text: `body ${n}` } },
  });
const har = (count: number) => `{"log":{"version":"1.2","entries":[${Array.from({ length: count }, (_, n) => entry(n)).join(',')}]}}`;
const pieces = function* (text: string, size: number) {
  for (let at = 0; at < text.length; at += size) yield Buffer.from(text.slice(at, at + size));
};
const read = (store: Store, source: Readable) => importHarStream(store, importWorkerFile, source, { projectId: 'p', name: 'Imported' });

describe('importing while it is uploaded', () => {
  it('stores batch by batch and tells what came in', async () => {
    const { store, asked, kept } = slowStore();
    const done = await read(store, Readable.from(pieces(har(450), 4096)));
    expect(done).toMatchObject({ exchangeCount: 450, problems: [], take: { name: 'Imported', startedAt: '2026-11-23T10:00:00.000Z' } });
    expect(kept.get(done.take.id)?.map((exchange) => exchange.n)).toEqual(Array.from({ length: 450 }, (_, n) => n + 1));
    // Bodies come before the exchanges that name them, and the take last: half an import is none.
    expect(asked).toEqual(['bodies', 'exchanges', 'bodies', 'exchanges', 'bodies', 'exchanges', 'take']);
  });

  it('reads a file that is larger than the memory of its thread, entry by entry', async () => {
    const thread = new Worker(importWorkerFile, { resourceLimits: { maxOldGenerationSizeMb: 64 } });
    const entries = 3000;
    const page = entry(1).replace('body 1', 'row '.repeat(15_000));
    const answer = async () => ((await once(thread, 'message')) as [FromImport])[0];
    const say = async (text: string) => {
      const answered = answer();
      thread.postMessage({ kind: 'piece', bytes: Buffer.from(text) } satisfies ToImport);
      // Batches come before the word that the piece was taken.
      for (let message = await answered; message.kind !== 'taken'; message = await answer()) expect(message.kind).toBe('batch');
    };
    await say('{"log":{"entries":[');
    for (let n = 0; n < entries; n++) await say(`${n > 0 ? ',' : ''}${page}`);
    await say(']}}');
    expect(entries * page.length).toBeGreaterThan(2 * (64 << 20));
    await thread.terminate();
  });

  it('puts entries that stand out of order right at the end', async () => {
    const { store, asked } = slowStore();
    await read(store, Readable.from([Buffer.from(`{"log":{"entries":[${entry(1, 5)},${entry(2, 3)}]}}`)]));
    expect(asked).toContain('renumber');
  });

  it('leaves no take and no exchange where the upload is broken off, however late a write was', async () => {
    const { store, asked, kept } = slowStore();
    const source = Readable.from(
      (function* () {
        yield* pieces(har(900).slice(0, 60_000), 4096);
        throw new Error('aborted');
      })(),
    );
    await expect(read(store, source)).rejects.toThrow('The import was cancelled; nothing of it was kept.');
    await new Promise((done) => setTimeout(done, 100));
    expect(asked).toContain('exchanges');
    expect(asked.at(-1)).toBe('delete');
    expect(kept.size).toBe(0);
  });

  it('says what is wrong with a file that is none, and with a store that fails', async () => {
    const { store, kept } = slowStore();
    await expect(read(store, Readable.from([Buffer.from('<html>')]))).rejects.toThrow(/This is not a HAR file/);
    store.putBodies = () => Promise.reject(new Error('the disk is full'));
    await expect(read(store, Readable.from(pieces(har(300), 4096)))).rejects.toThrow('the disk is full');
    expect(kept.size).toBe(0);
  });
});
