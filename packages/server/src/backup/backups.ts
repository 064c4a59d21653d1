import type { Backup } from '@sturdy/core';
import type { ServerLog } from '../log/server-log.js';
import { Problem } from '../problem/problem.js';
import { makeBackup, type BackupGround } from './backup.js';

/** Backups of a running server, one at a time. */
export class Backups {
  #making = false;

  constructor(
    readonly ground: BackupGround,
    readonly log: Pick<ServerLog, 'info'>,
  ) {}

  /** Makes a backup in the folder of backups. Throws a problem where one is being made already, or it cannot be made. */
  async make(): Promise<Backup> {
    if (this.#making) throw new Problem(409, 'A backup is being made', 'Wait until it is done, or take that one.');
    this.#making = true;
    try {
      const backup = await makeBackup(this.ground, new Date());
      this.log.info('A backup was made', { path: backup.path, bytes: backup.bytes });
      return backup;
    } catch (error) {
      throw new Problem(500, 'The backup was not made', error instanceof Error ? error.message : String(error));
    } finally {
      this.#making = false;
    }
  }
}
