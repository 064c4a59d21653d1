import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** The directory is open in another process. */
export class DirectoryInUse extends Error {}

/**
 * Takes the lock of a data directory, because two processes on one embedded database corrupt it silently. A lock whose
 * process is gone is taken over. Gives the function that lets go.
 */
export function lockDirectory(directory: string): () => void {
  const file = join(directory, 'in-use-by');
  for (let attempt = 0; attempt < 2; attempt++) {
    try {
      writeFileSync(file, String(process.pid), { flag: 'wx' });
      return () => {
        rmSync(file, { force: true });
      };
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      const holder = Number(readFileSync(file, 'utf8'));
      if (holder !== process.pid && isAlive(holder))
        throw new DirectoryInUse(
          `Sturdy Puppet already runs on ${directory} (process ${holder}). Use that one, stop it first, or name another directory with --data.`,
        );
      rmSync(file, { force: true });
    }
  }
  throw new DirectoryInUse(`The lock of ${directory} could not be taken: another process took it at the same moment. Try again.`);
}

function isAlive(pid: number): boolean {
  if (!Number.isInteger(pid) || pid <= 0) return false;
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
