import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { allRows, onceInOrder, plainColumns, plainEnvironment, type RequestExchange, type Run, type Take } from '@sturdy/core';
import { migrationsFolder, storeWorkerFile } from '../shipped/files.js';
import { onBothDatabases } from '../test/both-databases.js';
import { quietFrame } from '../test/frames.js';
import { hasPostgres, startPostgres } from '../test/postgres.js';
import { openStore } from './store-client.js';
import { lockDirectory } from './directory-lock.js';
import type { Store } from './store-client.js';

const take: Take = {
  id: 't1',
  projectId: 'p',
  name: 'Take 1',
  startedAt: '2026-11-23T10:00:00.000Z',
  state: 'recording',
  marks: [],
  harLog: null,
};
const run: Run = {
  id: 'r1',
  projectId: 'p',
  number: 1,
  workload: {
    id: 'w',
    projectId: 'p',
    name: 'W',
    crews: [],
    curve: { kind: 'ramp', together: 1, rampUpSeconds: 0, holdSeconds: 5, rampDownSeconds: 0, atEnd: 'iteration' },
    criteria: [],
    generators: 1,
    seed: '1',
  },
  environmentId: 'e',
  state: 'running',
  startedAt: '2026-11-23T10:00:00.000Z',
  endedAt: null,
  note: null,
  verdict: 'none',
};
const deal = onceInOrder;

const exchangeNo = (n: number): RequestExchange => ({
  kind: 'request',
  n,
  startedAtMs: n,
  durationMs: 1,
  method: 'GET',
  url: 'http://127.0.0.1:1/',
  httpVersion: 'HTTP/1.1',
  requestHeaders: [['A', 'b']],
  requestBody: null,
  response: null,
  failure: 'none',
  timings: { blocked: -1, dns: -1, connect: -1, tls: -1, send: 0, wait: 0, receive: 0 },
  harEntry: null,
});

onBothDatabases('store', (opened) => {
  it('keeps projects apart: environments of one id, what is known of each, and what is deleted with one for good', async () => {
    const store = opened();
    for (const id of ['pa', 'pb']) {
      await store.saveProject({ id, name: `Project ${id}` });
      const environment = plainEnvironment({ id: 'e1', projectId: id, name: `Of ${id}`, targets: [] });
      await store.saveEnvironment({ ...environment, variables: { user: `kim of ${id}` } });
      await store.saveTake({ ...take, id: `take ${id}`, projectId: id, state: 'done' });
      await store.saveExchanges(`take ${id}`, [exchangeNo(1)]);
      await store.saveRun({ ...run, id: `run ${id}`, projectId: id, number: 7, state: 'done', verdict: 'missed' });
    }
    expect((await store.environments('pb')).map(({ name, variables }) => [name, variables])).toEqual([['Of pb', { user: 'kim of pb' }]]);
    await store.saveProject({ id: 'pa', name: 'Renamed', state: 'archived' });
    const known = (await store.projectSummaries()).filter(({ id }) => id.startsWith('p') && id.length === 2);
    expect(known).toMatchObject([
      { id: 'pa', name: 'Renamed', state: 'archived', takes: 1, runs: 1, lastRun: { number: 7, verdict: 'missed', workload: 'W' } },
      { id: 'pb', state: 'active', rehearsals: [] },
    ]);
    expect(await store.deleteProject('pa')).toEqual(['run pa']);
    expect(await store.project('pa')).toBeNull();
    expect([
      await store.environments('pa'),
      await store.take('take pa'),
      await store.exchanges('take pa'),
      await store.run('run pa'),
    ]).toEqual([[], null, [], null]);
    expect([
      (await store.environments('pb')).length,
      (await store.exchanges('take pb')).length,
      (await store.run('run pb'))?.number,
    ]).toEqual([1, 1, 7]);
    await store.deleteProject('pb');
  });

  let repository: Store;
  beforeAll(() => {
    repository = opened();
  });

  it('gives back every text as it was: NUL, halves of surrogate pairs, and its own escape, in names and values', async () => {
    // The last one looks like an escaped NUL, and is none.
    const odd = ['MESSAGE\n\nhello\u0000', 'cut \ud83d', '\ude9a cut', 'icon \uf8fe', '\uf8fe0000', '🚚 whole', '\\u0000 as letters'];
    const messages = odd.map((text, at) => ({
      from: 'client' as const,
      kind: 'text' as const,
      atMs: at,
      text,
      base64: '',
      size: text.length,
    }));
    const doc: RequestExchange = { ...exchangeNo(1), requestHeaders: odd.map((text): [string, string] => [text, text]), messages };
    await repository.saveTake({ ...take, id: 'odd', projectId: 'odd', state: 'done', name: odd.join(' ') });
    await repository.saveExchanges('odd', [doc]);
    expect((await repository.take('odd'))?.name).toBe(odd.join(' '));
    expect((await repository.exchanges('odd'))[0]).toMatchObject({ requestHeaders: doc.requestHeaders });
    const failed = {
      crew: 'c',
      transaction: 'T',
      step: 's',
      code: 'check-text',
      subject: 'k',
      count: 1,
      firstSecond: 0,
      lastSecond: 0,
      example: null,
    };
    await repository.saveFrames('odd', [{ ...quietFrame(1), failures: odd.map((message) => ({ ...failed, message })) }]);
    expect((await repository.frames('odd'))[0]?.failures.map((failure) => failure.message)).toEqual(odd);
    await repository.saveTable(
      { id: 'odd', projectId: 'odd', name: odd[0] ?? '', columns: plainColumns(['a', odd[1] ?? '']), deal },
      odd.map((text) => [text, `x${text}`]),
    );
    expect((await repository.rows('odd', 1, 20)).map((row) => row.values[0])).toEqual(odd);
    const found = (is: 'equals' | 'contains', text: string) =>
      repository.viewTable('odd', { ...allRows, filters: [{ column: 0, is, text }] }, 0, 20).then(({ rows }) => rows.map((row) => row.row));
    expect(await found('equals', odd[0] ?? '')).toEqual([1]);
    expect(await found('contains', '\ud83d')).toEqual([2]);
    expect(await repository.takes('p\u0000')).toEqual([]);
  });

  it('shows what cannot be read as damaged, and all the rest as ever', async () => {
    await repository.saveTake({ ...take, id: 'good', projectId: 'hurt', state: 'done' });
    // As a fault or another version might have left them.
    await repository.saveTake({ ...take, id: 'bad', projectId: 'hurt', state: 'done', name: 5 as unknown as string });
    await repository.saveExchanges('good', [exchangeNo(1), { ...exchangeNo(2), durationMs: 'long' as unknown as number }]);
    expect((await repository.takes('hurt')).map((listed) => listed.id)).toEqual(['good']);
    expect((await repository.exchanges('good')).map((exchange) => exchange.n)).toEqual([1]);
    expect(await repository.take('bad')).toBeNull();
    expect((await repository.damaged()).map((damaged) => [damaged.kind, damaged.id, damaged.reason.split(':')[0]])).toEqual([
      ['take', 'bad', 'name'],
      ['exchange', 'good/2', 'durationMs'],
    ]);
    expect(await repository.damagedDocument('take', 'bad')).toMatchObject({ id: 'bad', name: 5 });
    expect(await repository.damagedDocument('exchange', 'good/2')).toMatchObject({ durationMs: 'long' });
    // What can be read is not deleted by this way.
    expect(await repository.deleteDamaged('take', 'good')).toBe(false);
    expect(await repository.deleteDamaged('take', 'bad')).toBe(true);
    expect(await repository.deleteDamaged('exchange', 'good/2')).toBe(true);
    expect(await repository.damaged()).toEqual([]);
    expect((await repository.takes('hurt')).map((listed) => [listed.id, listed.exchangeCount])).toEqual([['good', 1]]);
    await repository.deleteTake('good');
  });

  it('clears away what imports left that a crash broke off, and nothing else', async () => {
    await repository.saveTake({ ...take, id: 'whole', projectId: 'cleared', state: 'done' });
    await repository.saveExchanges('whole', [exchangeNo(1)]);
    await repository.saveExchanges('half', [exchangeNo(1), exchangeNo(2)]);
    await repository.saveTable({ id: 'whole', projectId: 'cleared', name: 'T', columns: plainColumns(['a']), deal }, [['1']]);
    await repository.importRows('half', 0, [['1'], ['2']]);
    await repository.closeOpen();
    expect([(await repository.exchanges('half')).length, (await repository.rows('half', 1, 9)).length]).toEqual([0, 0]);
    expect([(await repository.exchanges('whole')).length, (await repository.rows('whole', 1, 9)).length]).toEqual([1, 1]);
    await repository.deleteTake('whole');
    await repository.deleteTable('whole');
  });

  it('puts the exchanges of an import into the order of their starts', async () => {
    const order = [3, 1, 4, 2];
    const docs = order.map((rank, index) => ({ ...exchangeNo(index + 1), startedAtMs: rank * 10, url: `http://127.0.0.1:1/${rank}` }));
    await repository.saveTake({ ...take, id: 'order' });
    await repository.saveExchanges('order', docs);
    await repository.renumberExchanges(
      'order',
      order.map((to, index) => ({ from: index + 1, to })),
      5,
    );
    const kept = await repository.exchanges('order');
    expect(kept.map((exchange) => [exchange.n, exchange.url.at(-1), exchange.startedAtMs])).toEqual([
      [1, '1', 15],
      [2, '2', 25],
      [3, '3', 35],
      [4, '4', 45],
    ]);
    await repository.deleteExchanges('order', [2, 3]);
    expect((await repository.exchanges('order')).map((exchange) => exchange.n)).toEqual([1, 4]);
    expect((await repository.exchange('order', 4))?.url).toBe('http://127.0.0.1:1/4');
    await repository.deleteTake('order');
  });

  it('stores a body once, by its content, and gives back every byte', async () => {
    const bytes = Uint8Array.from({ length: 70_000 }, (_, index) => (index * 31) % 256);
    const first = await repository.putBody(bytes, 'application/octet-stream');
    expect(await repository.putBody(bytes, 'application/octet-stream')).toEqual(first);
    expect(first.size).toBe(70_000);
    expect(Buffer.from((await repository.body(first.hash))?.bytes ?? []).equals(Buffer.from(bytes))).toBe(true);
    expect(await repository.body('0'.repeat(64))).toBeNull();
  });

  it('keeps a take with its exchanges in order, and closes an open recording after a crash', async () => {
    await repository.saveTake(take);
    await repository.saveExchanges('t1', [exchangeNo(2), exchangeNo(1)]);
    expect((await repository.exchanges('t1')).map((exchange) => exchange.n)).toEqual([1, 2]);
    expect((await repository.takes('p'))[0]?.exchangeCount).toBe(2);
    await repository.closeOpen();
    expect((await repository.take('t1'))?.state).toBe('done');
  });

  it('leases every row once, also to many who ask at the same time', async () => {
    await repository.saveTable(
      { id: 'd1', projectId: 'p', name: 'D', columns: plainColumns(['a']), deal },
      Array.from({ length: 2500 }, (_, index) => [String(index)]),
    );
    const leases = await Promise.all(Array.from({ length: 12 }, (_, index) => repository.leaseRows('d1', 100, `run ${index}`)));
    const rows = leases.flat().map((row) => row.row);
    expect(new Set(rows).size).toBe(rows.length);
    let left = await repository.leaseRows('d1', 1000, 'run 99');
    for (; left.length > 0; left = await repository.leaseRows('d1', 1000, 'run 99')) rows.push(...left.map((row) => row.row));
    expect(new Set(rows).size).toBe(2500);
    expect((await repository.tables('p'))[0]).toMatchObject({ rowCount: 2500, spentCount: 2500 });
    // Only who leased a row can give it back.
    const leased = leases[3]?.map((row) => row.row) ?? [];
    expect(await repository.releaseRows('d1', leased, 'run 4')).toBe(0);
    expect(await repository.releaseRows('d1', leased, 'run 3')).toBe(leased.length);
    expect(await repository.releaseRows('d1', null, null)).toBe(2500 - leased.length);
  });

  it('closes a run that a crash left open as interrupted, with what was flushed', async () => {
    await repository.saveRun(run);
    await repository.saveFrames('r1', [quietFrame(0), quietFrame(1), quietFrame(2)]);
    await repository.saveFrames('r1', [quietFrame(2)]);
    expect(await repository.closeOpen()).toEqual({ runs: [1], takes: [] });
    expect(await repository.run('r1')).toMatchObject({ state: 'interrupted', endedAt: '2026-11-23T10:00:02.000Z' });
    expect((await repository.frames('r1')).map((frame) => frame.second)).toEqual([0, 1, 2]);
  });
});

describe('the lock of the data directory', () => {
  it('refuses a second process with a message that says which and what to do', () => {
    const folder = mkdtempSync(join(tmpdir(), 'sturdy-lock-'));
    // The parent process lives; it stands for another product.
    writeFileSync(join(folder, 'in-use-by'), String(process.ppid));
    expect(() => lockDirectory(folder)).toThrow(
      new RegExp(`already runs on .* \\(process ${process.ppid}\\)\\. Use that one, stop it first, or name another directory`),
    );
  });

  it('takes over the lock of a process whose number another one has by now', () => {
    const folder = mkdtempSync(join(tmpdir(), 'sturdy-lock-'));
    writeFileSync(join(folder, 'in-use-by'), `${process.ppid} 1`);
    lockDirectory(folder)();
  });

  it('names the file where the holder lives, so that it can be taken away', () => {
    const folder = mkdtempSync(join(tmpdir(), 'sturdy-lock-'));
    writeFileSync(join(folder, 'in-use-by'), String(process.ppid));
    expect(() => lockDirectory(folder)).toThrow(join(folder, 'in-use-by'));
  });

  it('takes over the lock of a process that is gone, and lets go', () => {
    const folder = mkdtempSync(join(tmpdir(), 'sturdy-lock-'));
    writeFileSync(join(folder, 'in-use-by'), '999999999');
    const unlock = lockDirectory(folder);
    unlock();
    expect(() => lockDirectory(folder)).not.toThrow();
  });
});

(hasPostgres ? describe : describe.skip)('a PostgreSQL server that goes away', () => {
  it('and comes back is used again, with all that was stored; one that is not there is told by name', async () => {
    const server = await startPostgres();
    const files = { worker: storeWorkerFile, migrations: migrationsFolder, secretsFolder: mkdtempSync(join(tmpdir(), 'sturdy-secrets-')) };
    const store = await openStore({ databaseUrl: server.url }, files);
    await store.saveTake({ ...take, id: 'kept', state: 'done' });
    server.restart();
    // A query that meets an ended connection may fail once; the next one has another.
    const read = () => store.take('kept').catch(() => store.take('kept'));
    expect((await read())?.id).toBe('kept');
    await store.saveTake({ ...take, id: 'later', state: 'done' });
    expect((await store.take('later'))?.id).toBe('later');
    await store.close();
    await server.stop();
    await expect(openStore({ databaseUrl: server.url }, files)).rejects.toThrow(
      /^The database 127\.0\.0\.1:\d+\/postgres does not let us in: .*ECONNREFUSED.* See whether it runs, and DATABASE_URL\.$/,
    );
  }, 120_000);
});
