import { mkdirSync } from 'node:fs';
import { create, extract } from 'tar';

// A database has folders with nothing in them, which packages of the registry leave out; an archive keeps them.

/** Packs the folder of a database. */
export const packDatabase = (folder: string, archive: string): void => {
  create({ sync: true, file: archive, cwd: folder, portable: true }, ['.']);
};

/** Unpacks such an archive into a folder that is not there yet. The thread stands still for it, which takes a third of the time. */
export function unpackDatabase(archive: string, folder: string): void {
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  extract({ sync: true, file: archive, cwd: folder });
}
