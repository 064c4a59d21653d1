import { spawn } from 'node:child_process';
import { join } from 'node:path';

/** The database in a backup: the folder of the embedded one, or what `pg_dump` wrote of a server's. */
export const copiedFolder = 'pg';
export const dumpedFile = 'database.dump';

const install = 'Install the client programs of PostgreSQL (Debian: postgresql-client), of the version of the server or newer.';

/** Writes a database of a PostgreSQL server into a folder. Rejects with what `pg_dump` says. */
export const dumpDatabase = (url: string, folder: string): Promise<void> =>
  runClient('pg_dump', ['--format=custom', '--no-owner', '--no-privileges', '--file', join(folder, dumpedFile)], url);

/** Reads such a copy into an empty database of a server, all of it or nothing. Rejects with what `pg_restore` says. */
export const restoreDatabase = (folder: string, url: string): Promise<void> =>
  runClient(
    'pg_restore',
    ['--no-owner', '--no-privileges', '--single-transaction', '--exit-on-error', '--dbname', databaseOf(url), join(folder, dumpedFile)],
    url,
  );

const databaseOf = (url: string): string => decodeURIComponent(new URL(url).pathname.slice(1));

/** Runs a client program. The password goes by its environment: arguments can be read by everybody on the machine. */
function runClient(program: string, args: string[], url: string): Promise<void> {
  const { hostname, port, username, password } = new URL(url);
  const child = spawn(program, args, {
    env: {
      ...process.env,
      PGHOST: hostname.replace(/^\[|\]$/g, ''),
      PGPORT: port || '5432',
      PGUSER: decodeURIComponent(username),
      PGPASSWORD: decodeURIComponent(password),
      PGDATABASE: databaseOf(url),
    },
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  let said = '';
  child.stderr.on('data', (piece: Buffer) => (said += piece.toString()));
  return new Promise((done, failed) => {
    child.on('error', (error) => {
      failed(new Error(`${program} could not be started (${error.message}). ${install}`));
    });
    child.on('close', (status) => {
      if (status === 0) done();
      else failed(new Error(`${program} did not do it: ${said.trim() || `status ${status}`}`));
    });
  });
}
