import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { emptyDatabaseFile, migrationsFolder, storeWorkerFile } from '../shipped/files.js';
import type { StorePlace } from '../store/open-database.js';
import { openStore, type Store } from '../store/store-client.js';
import { hasPostgres, startPostgres } from './postgres.js';

/** Runs the same suite on the embedded database and on a server. `store` gives what was opened. */
export function onBothDatabases(name: string, suite: (store: () => Store) => void): void {
  const on = (place: () => Promise<{ place: StorePlace; stop: () => void | Promise<void> }>): void => {
    let store: Store;
    let close: (() => Promise<void>) | undefined;
    beforeAll(async () => {
      const opened = await place();
      const secretsFolder = mkdtempSync(join(tmpdir(), 'sturdy-secrets-'));
      store = await openStore(opened.place, {
        worker: storeWorkerFile,
        migrations: migrationsFolder,
        emptyDatabase: emptyDatabaseFile,
        secretsFolder,
      });
      close = async () => {
        await store.close();
        rmSync(secretsFolder, { recursive: true, force: true });
        await opened.stop();
      };
    }, 90_000);
    afterAll(() => close?.());
    suite(() => store);
  };
  describe(`${name} on the embedded database`, () => {
    on(() => {
      const directory = mkdtempSync(join(tmpdir(), 'sturdy-store-'));
      return Promise.resolve({
        place: { directory },
        stop: () => {
          rmSync(directory, { recursive: true, force: true });
        },
      });
    });
  });
  (hasPostgres ? describe : describe.skip)(`${name} on a PostgreSQL server`, () => {
    on(async () => {
      const server = await startPostgres();
      return { place: { databaseUrl: server.url }, stop: server.stop };
    });
  });
}
