import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Take } from '@sturdy/core';
import pg from 'pg';
import { create } from 'tar';
import { emptyDatabaseFile, migrationsFolder, storeWorkerFile } from '../shipped/files.js';
import type { StorePlace } from '../store/open-database.js';
import { openStore, type Store } from '../store/store-client.js';
import { hasPostgres, startPostgres } from '../test/postgres.js';
import { backUpStopped, makeBackup, restoreBackup } from './backup.js';
import { Backups } from './backups.js';
import { dataFolders } from './data-folder.js';

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'sturdy-backup-'));
});
afterAll(() => {
  rmSync(folder, { recursive: true, force: true });
});

const open = (place: StorePlace, data: string): Promise<Store> =>
  openStore(place, {
    worker: storeWorkerFile,
    migrations: migrationsFolder,
    emptyDatabase: emptyDatabaseFile,
    secretsFolder: dataFolders(data).secretsFolder,
  });
const take = (id: string): Take => ({
  id,
  projectId: 'p1',
  name: id,
  startedAt: '2026-11-23T10:00:00.000Z',
  state: 'done',
  marks: [],
  harLog: null,
});
const now = new Date('2026-11-23T12:00:00.000Z');

/** Writes takes, one after the other, for as long as `work` takes; resolves with those that were told as stored before it began, and after it was done. */
async function writingWhile(store: Store, work: () => Promise<unknown>): Promise<{ before: string[]; all: string[] }> {
  const all: string[] = [];
  const end = new AbortController();
  const writing = (async () => {
    while (!end.signal.aborted) {
      const id = `take-${String(all.length).padStart(4, '0')}`;
      await store.saveTake(take(id));
      all.push(id);
    }
  })();
  while (all.length < 5) await new Promise((done) => setTimeout(done, 5));
  const before = [...all];
  await work().finally(() => {
    end.abort();
  });
  await writing;
  return { before, all };
}

const savedEnvironment = async (store: Store) => (await store.environments('p1'))[0];

/** A data folder with something of each kind in it, and its open store. */
async function filled(name: string, place: (data: string) => StorePlace) {
  const data = join(folder, name);
  const folders = dataFolders(data);
  const store = await open(place(data), data);
  await store.saveProject({ id: 'p1', name: 'Tidewell' });
  await store.saveEnvironment({
    id: 'e1',
    projectId: 'p1',
    name: 'Staging',
    productionLike: false,
    targets: [],
    clearances: [],
    map: {},
    credentials: [],
    variables: { pin: 'quince-7781' },
    secretVariables: ['pin'],
    failureSigns: [],
    trust: { authorities: '', checksCertificates: true },
    upstreamProxy: '',
  });
  for (const [path, content] of [
    [folders.samplesFolder, 'samples'],
    [folders.recorderFolder, 'journal'],
  ] as const) {
    mkdirSync(path, { recursive: true });
    writeFileSync(join(path, 'file'), content);
  }
  return { data, folders, store };
}

describe('a backup', () => {
  it('is made while the product writes, and opens as it was at one moment', async () => {
    const { folders, store } = await filled('running', (directory) => ({ directory }));
    const backups = new Backups(
      { folders, migrations: migrationsFolder, database: 'embedded', copyDatabase: (to) => store.copyTo(to) },
      { info: () => undefined },
    );
    let path = '';
    const { before, all } = await writingWhile(store, async () => ({ path } = await backups.make()));
    expect(readdirSync(folders.backupsFolder)).toHaveLength(1);
    expect(statSync(path).mode & 0o077).toBe(0);
    await store.close();

    // A folder that is there may be one where a disk is mounted: it is filled, and not replaced.
    const data = join(folder, 'restored');
    mkdirSync(data);
    const { ino } = statSync(data);
    expect(await restoreBackup(path, data, migrationsFolder)).toMatchObject({ backup: 1, database: 'embedded' });
    expect([statSync(data).ino, readdirSync(data).sort()]).toEqual([ino, ['pg', 'recorder', 'samples', 'secrets']]);
    const restored = await open({ directory: data }, data);
    const ids = (await restored.takes('p1')).map(({ id }) => id).sort();
    // What was told as stored before is there, and of what came meanwhile nothing is missing in between.
    expect(ids).toEqual(all.slice(0, ids.length));
    expect(ids.length).toBeGreaterThanOrEqual(before.length);
    // The key came along, so what it sealed can be read.
    expect((await savedEnvironment(restored))?.variables).toEqual({ pin: 'quince-7781' });
    await restored.close();
    const { samplesFolder, recorderFolder } = dataFolders(data);
    expect([samplesFolder, recorderFolder].map((path) => readFileSync(join(path, 'file'), 'utf8'))).toEqual(['samples', 'journal']);
  }, 60_000);

  it('is made one at a time, and one that breaks off leaves nothing that looks whole', async () => {
    const folders = dataFolders(join(folder, 'breaking'));
    let fail: (error: Error) => void = () => undefined;
    const backups = new Backups(
      { folders, migrations: migrationsFolder, database: 'embedded', copyDatabase: () => new Promise((_, failed) => (fail = failed)) },
      { info: () => undefined },
    );
    const first = backups.make();
    await expect(backups.make()).rejects.toMatchObject({ status: 409 });
    fail(new Error('The disk is full'));
    await expect(first).rejects.toMatchObject({ status: 500, detail: 'The disk is full' });
    expect(readdirSync(folders.backupsFolder)).toEqual([]);
    // What a killed process left is cleared away by the next one.
    mkdirSync(join(folders.backupsFolder, '.making', 'pg'), { recursive: true });
    await makeBackup({ folders, migrations: migrationsFolder, database: 'embedded', copyDatabase: () => Promise.resolve() }, now);
    expect(readdirSync(folders.backupsFolder)).toEqual(['sturdy-2026-11-23T12-00-00-000Z.tar.gz']);
  });

  it('is made of a data folder that no server has open, and refused where one has', async () => {
    const { data, store } = await filled('stopped', (directory) => ({ directory }));
    // The lock names this process; another one would be refused, so its number is written into it.
    const lock = join(data, 'in-use-by');
    const own = readFileSync(lock, 'utf8');
    writeFileSync(lock, String(process.ppid));
    await expect(backUpStopped(data, migrationsFolder, now)).rejects.toThrow('already runs on');
    writeFileSync(lock, own);
    await store.saveTake(take('kept'));
    await store.close();
    const { path } = await backUpStopped(data, migrationsFolder, now);
    await restoreBackup(path, join(folder, 'again'), migrationsFolder);
    const restored = await open({ directory: join(folder, 'again') }, join(folder, 'again'));
    expect((await restored.take('kept'))?.name).toBe('kept');
    await restored.close();
    await expect(backUpStopped(join(folder, 'nothing'), migrationsFolder, now)).rejects.toThrow('There is no database in');
  }, 60_000);

  it('overwrites nothing, and says of another file what it is not', async () => {
    const there = join(folder, 'there');
    mkdirSync(there);
    writeFileSync(join(there, 'notes.txt'), 'mine');
    const path = join(folder, 'some.tar.gz');
    const packed = async (label: unknown, also: string[] = []) => {
      const from = mkdtempSync(join(folder, 'packed-'));
      if (label !== undefined) writeFileSync(join(from, 'backup.json'), typeof label === 'string' ? label : JSON.stringify(label));
      for (const name of also) writeFileSync(join(from, name), 'x');
      await create({ gzip: true, file: path, cwd: from }, ['.']);
    };
    const label = { backup: 1, version: '9.9.9', changes: 1, at: now.toISOString(), database: 'embedded' };
    const fresh = join(folder, 'fresh');
    const refused = (data = fresh, url?: string) =>
      restoreBackup(path, data, migrationsFolder, url).then(
        () => 'restored',
        (error: unknown) => (error as Error).message,
      );
    await packed(label);
    expect(await refused(there)).toContain('holds something already (notes.txt)');
    expect(await refused(fresh, 'postgres://x@127.0.0.1:1/y')).toContain('holds an embedded database');
    await packed({ ...label, changes: 999 });
    expect(await refused()).toContain('made by a newer version of the product (9.9.9');
    await packed({ ...label, database: 'postgresql' });
    expect(await refused()).toContain('Name an empty database');
    await packed(undefined, ['project.yaml']);
    expect(await refused()).toContain('is no backup of Sturdy Puppet');
    await packed('{');
    expect(await refused()).toContain('is no backup of Sturdy Puppet');
    await packed({ hello: 1 });
    expect(await refused()).toContain('is no backup of Sturdy Puppet');
    writeFileSync(path, 'no archive at all');
    expect(await refused()).toContain('cannot be read as a backup');
    expect([existsSync(fresh), readdirSync(there), readdirSync(folder).filter((name) => name.startsWith('.'))]).toEqual([
      false,
      ['notes.txt'],
      [],
    ]);
  });
});

(hasPostgres ? describe : describe.skip)('a backup of a PostgreSQL server', () => {
  it('is made by its own program while the product writes, and goes into an empty database', async () => {
    const server = await startPostgres();
    const { folders, store } = await filled('server', () => ({ databaseUrl: server.url }));
    const ground = {
      folders,
      migrations: migrationsFolder,
      database: 'postgresql' as const,
      copyDatabase: (to: string) => store.copyTo(to),
    };
    let path = '';
    const { before, all } = await writingWhile(store, async () => ({ path } = await makeBackup(ground, now)));
    await store.close();

    const client = new pg.Client(server.url);
    await client.connect();
    await client.query('create database restored');
    await client.end();
    const url = server.url.replace(/postgres$/, 'restored');
    const data = join(folder, 'from-server');
    await restoreBackup(path, data, migrationsFolder, url);
    const restored = await open({ databaseUrl: url }, data);
    const ids = (await restored.takes('p1')).map(({ id }) => id).sort();
    expect(ids).toEqual(all.slice(0, ids.length));
    expect(ids.length).toBeGreaterThanOrEqual(before.length);
    expect((await savedEnvironment(restored))?.variables).toEqual({ pin: 'quince-7781' });
    // Identities go on counting where they were.
    await restored.saveProject({ id: 'p2', name: 'Another' });
    expect((await restored.projects()).map(({ id }) => id)).toEqual(['p1', 'p2']);
    await restored.close();

    // A database that holds something already is not touched.
    await expect(restoreBackup(path, join(folder, 'twice'), migrationsFolder, url)).rejects.toThrow(
      /pg_restore did not do it: .*already exists/s,
    );
    expect(existsSync(join(folder, 'twice'))).toBe(false);
    await server.stop();
  }, 120_000);
});
