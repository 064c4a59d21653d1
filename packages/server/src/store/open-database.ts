import { cpSync, existsSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { PGlite, type PGliteOptions } from '@electric-sql/pglite';
import { drizzle as drizzlePglite } from 'drizzle-orm/pglite';
import { migrate as migratePglite } from 'drizzle-orm/pglite/migrator';
import { drizzle as drizzlePostgres } from 'drizzle-orm/node-postgres';
import { migrate as migratePostgres } from 'drizzle-orm/node-postgres/migrator';
import pg from 'pg';
import { lockDirectory } from './directory-lock.js';
import { ownEverythingIn, ownFolder } from './own-folder.js';
import * as tables from './tables.js';
import type { Database } from './repository.js';

/** Where the store lives: a directory for the embedded database, or the address of a PostgreSQL server. */
export type StorePlace = { directory: string } | { databaseUrl: string };

/** Files that ship with the store. */
export interface StoreFiles {
  migrations: string;
  /** A folder with an empty database to begin with; where it is missing, one is made from nothing. */
  emptyDatabase?: string;
}

/** Opens the database and brings its schema up to date. Throws where another process has the directory open. */
export async function openDatabase(place: StorePlace, files: StoreFiles): Promise<{ database: Database; close: () => Promise<void> }> {
  const migrationsFolder = files.migrations;
  if ('databaseUrl' in place) {
    const pool = new pg.Pool({ connectionString: place.databaseUrl, max: 4 });
    const database = drizzlePostgres(pool, { schema: tables });
    await migratePostgres(database, { migrationsFolder });
    return { database, close: () => pool.end() };
  }
  ownFolder(place.directory);
  const unlock = lockDirectory(place.directory);
  const dataDir = join(place.directory, 'pg');
  if (!existsSync(dataDir) && files.emptyDatabase !== undefined && existsSync(files.emptyDatabase)) {
    // Under another name until it is whole, so that a crash leaves no half of it.
    const copy = `${dataDir}.new`;
    rmSync(copy, { recursive: true, force: true });
    cpSync(files.emptyDatabase, copy, { recursive: true });
    renameSync(copy, dataDir);
  }
  // As it comes the embedded database keeps 800 MB resident; these settings bring it to about 210 MB.
  const client = await PGlite.create({
    dataDir,
    postgresqlconf: ['shared_buffers=16MB', 'wal_buffers=1MB'],
  } as PGliteOptions);
  const database = drizzlePglite(client, { schema: tables });
  await migratePglite(database, { migrationsFolder });
  ownEverythingIn(dataDir);
  return {
    database,
    close: async () => {
      await client.close();
      unlock();
    },
  };
}
