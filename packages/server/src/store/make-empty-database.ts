import { renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { emptyDatabaseFolder, migrationsFolder } from '../shipped/files.js';
import { openDatabase } from './open-database.js';

/** Run by the build: makes the database that every fresh data directory begins with. */
const made = `${emptyDatabaseFolder}.new`;
rmSync(made, { recursive: true, force: true });
const { close } = await openDatabase({ directory: made }, { migrations: migrationsFolder });
await close();
rmSync(emptyDatabaseFolder, { recursive: true, force: true });
renameSync(join(made, 'pg'), emptyDatabaseFolder);
rmSync(made, { recursive: true, force: true });
// What the embedded database leaves open would keep the process alive.
process.exit();
