import { existsSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { PGlite } from '@electric-sql/pglite';
import { drizzle as drizzlePglite } from 'drizzle-orm/pglite';
import { migrate as migratePglite } from 'drizzle-orm/pglite/migrator';
import { drizzle as drizzlePostgres } from 'drizzle-orm/node-postgres';
import { migrate as migratePostgres } from 'drizzle-orm/node-postgres/migrator';
import pg from 'pg';
import { copiedFolder, dumpDatabase } from './database-copy.js';
import { lockDirectory } from './directory-lock.js';
import { needRoom } from './disk-room.js';
import { unpackDatabase } from './empty-database.js';
import { EmbeddedDatabase } from './embedded-database.js';
import { ownEverythingIn, ownFolder } from './own-folder.js';
import * as tables from './tables.js';
import type { Database } from './repository.js';
import { watchedConnection } from './watched-connection.js';

/** Where the store lives: a directory for the embedded database, or the address of a PostgreSQL server. */
export type StorePlace =
  | { directory: string }
  | {
      databaseUrl: string;
      /** After this, in ms, a query is taken for one that never ends, and its connection is cut; a minute where it is left out. */
      longestQueryMs?: number;
    };

/** Files that ship with the store. */
export interface StoreFiles {
  migrations: string;
  /** An archive of an empty database to begin with; where it is missing, one is made from nothing. */
  emptyDatabase?: string;
}

/** A database that does not answer within this is away, in ms. */
const connectWithinMs = 10_000;

export interface OpenDatabase {
  database: Database;
  /** Resolves where the database answers; opens the embedded one anew where it broke down. */
  answers: () => Promise<unknown>;
  /** Throws `NoRoomError` where nothing can be written; asked before every write. */
  needRoom: () => void;
  /** Copies the database into a folder, in the state of one moment. */
  copyTo: (folder: string) => Promise<void>;
  close: () => Promise<void>;
}

/** Opens the database and brings its schema up to date. Throws where another process has the directory open. */
export async function openDatabase(place: StorePlace, files: StoreFiles): Promise<OpenDatabase> {
  const migrationsFolder = files.migrations;
  if ('databaseUrl' in place) {
    const pool = new pg.Pool({
      connectionString: place.databaseUrl,
      max: 4,
      connectionTimeoutMillis: Math.min(connectWithinMs, place.longestQueryMs ?? connectWithinMs),
      Client: watchedConnection(place.longestQueryMs),
    });
    // A server that is restarted ends connections that nobody uses at that moment; the next query opens another one.
    pool.on('error', () => undefined);
    const database = drizzlePostgres(pool, { schema: tables });
    const client = await pool.connect().catch((error: unknown) => {
      const { host, pathname } = new URL(place.databaseUrl);
      throw new Error(
        `The database ${host}${pathname} does not let us in: ${error instanceof Error && error.message !== '' ? error.message : String(error)}. See whether it runs, and DATABASE_URL.`,
      );
    });
    client.release();
    await migratePostgres(database, { migrationsFolder });
    return {
      database,
      answers: () => pool.query('select 1'),
      needRoom: () => undefined,
      copyTo: (folder) => dumpDatabase(place.databaseUrl, folder),
      close: () => pool.end(),
    };
  }
  ownFolder(place.directory);
  const unlock = lockDirectory(place.directory);
  const dataDir = join(place.directory, copiedFolder);
  if (!existsSync(dataDir) && files.emptyDatabase !== undefined && existsSync(files.emptyDatabase)) {
    // Under another name until it is whole, so that a crash leaves no half of it.
    const copy = `${dataDir}.new`;
    rmSync(copy, { recursive: true, force: true });
    unpackDatabase(files.emptyDatabase, copy);
    renameSync(copy, dataDir);
  }
  const client = new EmbeddedDatabase(dataDir);
  const database = drizzlePglite(client as unknown as PGlite, { schema: tables });
  await migratePglite(database, { migrationsFolder });
  ownEverythingIn(dataDir);
  return {
    database,
    answers: () => client.mend(),
    needRoom: () => {
      needRoom(place.directory);
    },
    copyTo: (folder) => client.copyTo(join(folder, copiedFolder)),
    close: async () => {
      await client.close();
      unlock();
    },
  };
}
