import { chmodSync, lstatSync, mkdirSync, readdirSync } from 'node:fs';
import { join } from 'node:path';

/** Whoever else works on this machine reads none of it: folders are the owner's alone, files too. */
const folderMode = 0o700;
const fileMode = 0o600;

/** Makes a folder that only its owner can enter, whatever the umask and whoever made it before. */
export function ownFolder(folder: string): void {
  mkdirSync(folder, { recursive: true, mode: folderMode });
  chmodSync(folder, folderMode);
}

/** Makes a folder and everything in it the owner's alone; the embedded database opens its files for everybody. Links are not followed. */
export function ownEverythingIn(folder: string): void {
  chmodSync(folder, folderMode);
  for (const name of readdirSync(folder)) {
    const path = join(folder, name);
    const kind = lstatSync(path);
    if (kind.isDirectory()) ownEverythingIn(path);
    else if (kind.isFile()) chmodSync(path, fileMode);
  }
}
