import { mkdirSync } from 'node:fs';
import { PGlite, type PGliteOptions } from '@electric-sql/pglite';
import { drizzle as drizzlePglite } from 'drizzle-orm/pglite';
import { migrate as migratePglite } from 'drizzle-orm/pglite/migrator';
import { drizzle as drizzlePostgres } from 'drizzle-orm/node-postgres';
import { migrate as migratePostgres } from 'drizzle-orm/node-postgres/migrator';
import pg from 'pg';
import { lockDirectory } from './directory-lock.js';
import * as tables from './tables.js';
import type { Database } from './repository.js';

/** Where the store lives: a directory for the embedded database, or the address of a PostgreSQL server. */
export type StorePlace = { directory: string } | { databaseUrl: string };

/** Opens the database and brings its schema up to date. Throws where another process has the directory open. */
export async function openDatabase(
  place: StorePlace,
  migrationsFolder: string,
): Promise<{ database: Database; close: () => Promise<void> }> {
  if ('databaseUrl' in place) {
    const pool = new pg.Pool({ connectionString: place.databaseUrl, max: 4 });
    const database = drizzlePostgres(pool, { schema: tables });
    await migratePostgres(database, { migrationsFolder });
    return { database, close: () => pool.end() };
  }
  mkdirSync(place.directory, { recursive: true });
  const unlock = lockDirectory(place.directory);
  // As it comes the embedded database keeps 800 MB resident; these settings bring it to about 210 MB.
  const client = await PGlite.create({
    dataDir: `${place.directory}/pg`,
    postgresqlconf: ['shared_buffers=16MB', 'wal_buffers=1MB'],
  } as PGliteOptions);
  const database = drizzlePglite(client, { schema: tables });
  await migratePglite(database, { migrationsFolder });
  return {
    database,
    close: async () => {
      await client.close();
      unlock();
    },
  };
}
