import {
  chmodSync,
  cpSync,
  existsSync,
  linkSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { basename, join } from 'node:path';
import { Refusal, version, type Backup } from '@sturdy/core';
import { create, extract } from 'tar';
import * as z from 'zod';
import { lockDirectory, lockFile } from '../store/directory-lock.js';
import { ownEverythingIn, ownFolder } from '../store/own-folder.js';
import { copiedFolder, dumpedFile, restoreDatabase } from '../store/database-copy.js';
import { dataFolders, type DataFolders } from './data-folder.js';

/** What says of an archive that it is a backup. */
const labelFile = 'backup.json';
const LabelSchema = z.object({
  backup: z.literal(1),
  /** The version of the product, and how many changes its database had gone through: what is older can be read, what is newer cannot. */
  version: z.string(),
  changes: z.number().int(),
  at: z.iso.datetime(),
  database: z.enum(['embedded', 'postgresql']),
});
type Label = z.infer<typeof LabelSchema>;
const LabelText = z
  .string()
  .transform((text, context): unknown => {
    try {
      return JSON.parse(text);
    } catch {
      context.addIssue('no JSON');
      return z.NEVER;
    }
  })
  .pipe(LabelSchema);

/** What a backup is made of. */
export interface BackupGround {
  folders: DataFolders;
  /** The folder with all changes of the database (migrations). */
  migrations: string;
  database: Label['database'];
  /** Writes the database into a folder, in the state of one moment. */
  copyDatabase: (folder: string) => Promise<void>;
}

/**
 * Makes a backup in the folder of backups: database, samples, certificate authority and journals of the recorder, and the keys of secrets. The product goes on meanwhile; who
 * asks the database waits while it is copied. What breaks off leaves nothing that looks whole.
 */
export async function makeBackup({ folders, migrations, database, copyDatabase }: BackupGround, now: Date): Promise<Backup> {
  const { samplesFolder, recorderFolder, secretsFolder, backupsFolder } = folders;
  ownFolder(backupsFolder);
  for (const name of readdirSync(backupsFolder))
    if (name.startsWith('.')) rmSync(join(backupsFolder, name), { recursive: true, force: true });
  const staging = join(backupsFolder, '.making');
  const at = now.toISOString();
  try {
    mkdirSync(staging, { mode: 0o700 });
    // A journal holds what the database does not have yet, so it goes first: what is in both is taken once.
    copyFolder(recorderFolder, join(staging, 'recorder'));
    copyFolder(secretsFolder, join(staging, 'secrets'));
    await copyDatabase(staging);
    linkFiles(samplesFolder, join(staging, 'samples'));
    const label: Label = { backup: 1, version, changes: changesIn(migrations), at, database };
    writeFileSync(join(staging, labelFile), JSON.stringify(label, null, 2));
    const path = join(backupsFolder, `sturdy-${at.replace(/[:.]/g, '-')}.tar.gz`);
    const unfinished = join(backupsFolder, '.unfinished.tar.gz');
    // The label stands first, so that whoever looks need not read all of it.
    await create({ gzip: true, file: unfinished, cwd: staging }, [labelFile, ...readdirSync(staging).filter((name) => name !== labelFile)]);
    chmodSync(unfinished, 0o600);
    renameSync(unfinished, path);
    return { path, bytes: statSync(path).size, at };
  } finally {
    rmSync(staging, { recursive: true, force: true });
  }
}

/** Makes a backup of a data folder that no server has open. Throws where one has. */
export async function backUpStopped(data: string, migrations: string, now: Date): Promise<Backup> {
  if (!existsSync(join(data, copiedFolder)))
    throw new Refusal(`There is no database in ${data}. Name the folder that sturdy serve --data was given.`);
  const unlock = lockDirectory(data);
  try {
    return await makeBackup(
      {
        folders: dataFolders(data),
        migrations,
        database: 'embedded',
        copyDatabase: (folder) => {
          copyFolder(join(data, copiedFolder), join(folder, copiedFolder));
          return Promise.resolve();
        },
      },
      now,
    );
  } finally {
    unlock();
  }
}

/**
 * Puts a backup into a data folder that is empty or not there; its database into an empty one at `databaseUrl` where it is that of a server. Throws a refusal where that cannot be,
 * and then nothing was changed.
 */
export async function restoreBackup(file: string, data: string, migrations: string, databaseUrl?: string): Promise<Label> {
  // The folder may be where a disk is mounted, which can neither be replaced nor be written to from beside.
  const isNew = !existsSync(data);
  ownFolder(data);
  const unlock = lockDirectory(data);
  const unpacked = join(data, '.restoring');
  try {
    needEmpty(data, [basename(unpacked), lockFile]);
    rmSync(unpacked, { recursive: true, force: true });
    return await unpackBackup(file, data, unpacked, migrations, databaseUrl);
  } finally {
    rmSync(unpacked, { recursive: true, force: true });
    unlock();
    // What was made for nothing goes again.
    if (isNew && readdirSync(data).length === 0) rmSync(data, { recursive: true });
  }
}

function needEmpty(data: string, besides: readonly string[]): void {
  const taken = readdirSync(data).filter((name) => !besides.includes(name));
  if (taken.length > 0)
    throw new Refusal(
      `${data} holds something already (${taken.slice(0, 3).join(', ')}). Name a folder that is empty, or not there yet, with --data.`,
    );
}

async function unpackBackup(file: string, data: string, unpacked: string, migrations: string, databaseUrl?: string): Promise<Label> {
  ownFolder(unpacked);
  await extract({ file, cwd: unpacked, strict: true }).catch((error: unknown) => {
    throw new Refusal(`${file} cannot be read as a backup: ${error instanceof Error ? error.message : String(error)}`);
  });
  const label = labelIn(unpacked, file);
  if (label.changes > changesIn(migrations))
    throw new Refusal(`${file} was made by a newer version of the product (${label.version}; this is ${version}). Install that one first.`);
  if (label.database === 'postgresql') {
    if (databaseUrl === undefined)
      throw new Refusal(`${file} holds a database of a PostgreSQL server. Name an empty database that it shall go into with --database.`);
    await restoreDatabase(unpacked, databaseUrl);
    rmSync(join(unpacked, dumpedFile));
  } else if (databaseUrl !== undefined)
    throw new Refusal(
      `${file} holds an embedded database, which goes into ${data} and not into a PostgreSQL server. Leave --database out.`,
    );
  rmSync(join(unpacked, labelFile));
  ownEverythingIn(unpacked);
  for (const name of readdirSync(unpacked)) renameSync(join(unpacked, name), join(data, name));
  return label;
}

function labelIn(folder: string, file: string): Label {
  const path = join(folder, labelFile);
  const read = existsSync(path) ? LabelText.safeParse(readFileSync(path, 'utf8')) : null;
  if (!read?.success) throw new Refusal(`${file} is no backup of Sturdy Puppet. A project is imported with sturdy project import.`);
  return read.data;
}

const changesIn = (migrations: string): number => readdirSync(migrations).filter((name) => name.endsWith('.sql')).length;

function copyFolder(from: string, to: string): void {
  if (existsSync(from)) cpSync(from, to, { recursive: true });
}

/** Files that only grow need not be copied: another name for each of them is enough. A batch that the archive has half of is left out by whoever reads it. */
function linkFiles(from: string, to: string): void {
  if (!existsSync(from)) return;
  mkdirSync(to);
  for (const name of readdirSync(from))
    try {
      linkSync(join(from, name), join(to, name));
    } catch {
      // Another disk, or a file system without such names.
      cpSync(join(from, name), join(to, name), { recursive: true });
    }
}
