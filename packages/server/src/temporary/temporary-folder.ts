import { mkdtemp, readdir, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { isAlive } from '../store/directory-lock.js';

/** How names in the temporary folder begin that a later start may clear away; the number of their process follows. */
const prefix = 'sturdy-upload-';

/** Makes a folder for what passes through. A start clears it away where this process was killed meanwhile. */
export const makeTemporaryFolder = (): Promise<string> => mkdtemp(join(tmpdir(), `${prefix}${process.pid}-`));

/** Has a folder for as long as `use` takes. */
export async function inTemporaryFolder<T>(use: (folder: string) => Promise<T>): Promise<T> {
  const folder = await makeTemporaryFolder();
  try {
    return await use(folder);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** Deletes what processes that live no more have left in the temporary folder. */
export async function clearLeftFolders(): Promise<void> {
  for (const name of await readdir(tmpdir())) {
    const pid = new RegExp(`^${prefix}(\\d+)-`).exec(name)?.[1];
    if (pid === undefined || isAlive(Number(pid))) continue;
    await rm(join(tmpdir(), name), { recursive: true, force: true });
  }
}
