import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { emptyDatabaseFile, migrationsFolder } from '../shipped/files.js';
import { packDatabase } from './empty-database.js';
import { openDatabase } from './open-database.js';

/** Run by the build: makes the database that every fresh data directory begins with. */
const made = `${emptyDatabaseFile}.new`;
rmSync(made, { recursive: true, force: true });
const { close } = await openDatabase({ directory: made }, { migrations: migrationsFolder });
await close();
packDatabase(join(made, 'pg'), emptyDatabaseFile);
rmSync(made, { recursive: true, force: true });
// What the embedded database leaves open would keep the process alive.
process.exit();
