import { copyFileSync, existsSync, renameSync, rmSync } from 'node:fs';
import { BackupSchema, isRefusal, type Backup } from '@sturdy/core';
import type { Command } from 'commander';
import { ask } from '../ask-server.js';
import { mustExist } from '../input-files.js';
import { UsageError } from '../usage-error.js';
import { databaseOption, dataOption } from './serve.js';

/** Backups are loaded only where a command needs them. */
const backups = () => import('@sturdy/server/backup');
const megabytes = (bytes: number): string => `${(bytes / 1e6).toFixed(1)} MB`;

/** A backup of all that a server holds, while it runs or while it does not. */
export function addBackup(program: Command): void {
  program
    .command('backup')
    .description('write all projects, samples and keys of a server into one file, while it goes on working')
    .argument('<file>', 'the file to write, such as sturdy.tar.gz')
    .option('--server <address>', 'address of the running server, on this machine', 'http://127.0.0.1:4300')
    .option('--stopped <folder>', 'the data folder of a server that does not run, in the place of --server')
    .addHelpText(
      'after',
      `
The file holds the keys of secrets, and all that was typed while recording: keep it as you keep passwords. The log is not in it.
The database of a PostgreSQL server is written by its own pg_dump, which has to be installed where the server runs.
Example: sturdy backup /srv/backups/sturdy-monday.tar.gz`,
    )
    .action(async (file: string, { server, stopped }: { server: string; stopped?: string }) => {
      if (existsSync(file)) throw new UsageError(`${file} is there already. Name another file, or move that one away.`);
      const backup =
        stopped === undefined
          ? await ask(`${server}/api/backups`, { parse: (value): Backup => BackupSchema.parse(value) }, { method: 'POST' })
          : await backUp(stopped);
      if (!existsSync(backup.path))
        throw new UsageError(`The backup lies on the machine of the server, at ${backup.path}. Fetch it from there.`);
      move(backup.path, file);
      process.stdout.write(`${file} was written, ${megabytes(backup.bytes)}\n`);
    });
}

/** A data folder out of a backup. */
export function addRestore(program: Command): void {
  program
    .command('restore')
    .description('make a data folder of a backup; nothing that is there is overwritten')
    .argument('<file>', 'a file that sturdy backup wrote')
    .addOption(dataOption())
    .addOption(databaseOption())
    .addHelpText(
      'after',
      '\nA backup of an earlier version is brought up to date by the next start.\nExample: sturdy restore sturdy-monday.tar.gz --data .sturdy/data',
    )
    .action(async (file: string, { data, database }: { data: string; database?: string }) => {
      mustExist(file, 'The backup');
      const { restoreBackup, migrationsFolder } = await backups();
      const { at, version } = await asUsage(() => restoreBackup(file, data, migrationsFolder, database));
      process.stdout.write(`${data} is as it was at ${at} (version ${version}). Start it with: sturdy serve --data ${data}\n`);
    });
}

async function backUp(data: string): Promise<Backup> {
  const { backUpStopped, migrationsFolder } = await backups();
  return asUsage(() => backUpStopped(data, migrationsFolder, new Date()));
}

/** What cannot be done is told as what is wrong with the arguments. */
async function asUsage<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw isRefusal(error) ? new UsageError(error.message) : error;
  }
}

/** Moves a file, also to another disk. */
function move(from: string, to: string): void {
  try {
    renameSync(from, to);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EXDEV') throw error;
    copyFileSync(from, to);
    rmSync(from);
  }
}
