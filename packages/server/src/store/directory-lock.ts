import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** The file of the lock in a data directory. */
export const lockFile = 'in-use-by';

/** The directory is open in another process. */
export class DirectoryInUse extends Error {}

/**
 * Takes the lock of a data directory, because two processes on one embedded database corrupt it silently. A lock whose
 * process is gone is taken over. Gives the function that lets go.
 */
export function lockDirectory(directory: string): () => void {
  const file = join(directory, lockFile);
  for (let attempt = 0; attempt < 2; attempt++) {
    try {
      writeFileSync(file, [process.pid, startOf(process.pid)].join(' ').trim(), { flag: 'wx' });
      return () => {
        rmSync(file, { force: true });
      };
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      const [holder = 0, start] = readFileSync(file, 'utf8').split(' ').map(Number);
      // Numbers of processes are given again: only one that began at the same moment is the same.
      const isSame = start === undefined || startOf(holder) === '' || Number(startOf(holder)) === start;
      if (holder !== process.pid && isSame && isAlive(holder))
        throw new DirectoryInUse(
          `Sturdy Puppet already runs on ${directory} (process ${holder}). Use that one, stop it first, or name another directory with --data. Where that process is something else, delete ${file}.`,
        );
      rmSync(file, { force: true });
    }
  }
  throw new DirectoryInUse(`The lock of ${directory} could not be taken: another process took it at the same moment. Try again.`);
}

/** When a process began, in ticks since the machine did (proc(5), field 22 of stat); empty where that cannot be told. */
function startOf(pid: number): string {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19] ?? '';
  } catch {
    return '';
  }
}

/** True where a process of this number lives. */
export function isAlive(pid: number): boolean {
  if (!Number.isInteger(pid) || pid <= 0) return false;
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    // A process of another user is there, and may not be asked.
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
