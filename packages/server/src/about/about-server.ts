import { existsSync, readdirSync, statfsSync, statSync } from 'node:fs';
import { release, type as systemType } from 'node:os';
import { join } from 'node:path';
import { version, type About } from '@sturdy/core';
import type { ServerLog } from '../log/server-log.js';
import { littleRoomBytes } from '../store/disk-room.js';
import type { Store } from '../store/store-client.js';
import type { StorePlace } from '../store/open-database.js';

/** What the last stop of the server broke off. */
export type Interrupted = About['interrupted'];

/** A folder of the server, in words. */
export interface OwnFolder {
  what: string;
  path: string;
}

/** Tells version, health, sizes, and what was interrupted. */
export class AboutServer {
  readonly startedAt = new Date().toISOString();

  constructor(
    readonly store: Pick<Store, 'away' | 'databaseBytes' | 'damaged'>,
    readonly place: StorePlace,
    readonly folders: readonly OwnFolder[],
    readonly interrupted: Interrupted,
    readonly log: ServerLog,
  ) {}

  async tell(): Promise<About> {
    const { away } = this.store;
    const damaged = away ? [] : await this.store.damaged();
    const disk = diskOf(['directory' in this.place ? this.place.directory : '', ...this.folders.map((folder) => folder.path)]);
    const errors = this.log.recent.filter((entry) => entry.level === 'error').length;
    return {
      version,
      node: process.version,
      system: `${systemType()} ${release()}`,
      pid: process.pid,
      startedAt: this.startedAt,
      memoryBytes: process.memoryUsage().rss,
      database: {
        kind: 'directory' in this.place ? 'embedded' : 'PostgreSQL',
        place: 'directory' in this.place ? this.place.directory : withoutPassword(this.place.databaseUrl),
        bytes: away ? null : await this.store.databaseBytes(),
      },
      folders: this.folders.map((folder) => ({ ...folder, ...sizeOf(folder.path) })),
      disk,
      interrupted: this.interrupted,
      health: [
        {
          what: 'Database',
          isGood: away === null,
          text: away === null ? 'answers' : `has not answered since ${away.since}: ${away.reason}. See whether it runs.`,
        },
        {
          what: 'Disk',
          isGood: disk === null || disk.freeBytes >= littleRoomBytes,
          text:
            disk === null
              ? 'cannot be asked'
              : disk.freeBytes >= littleRoomBytes
                ? 'has room'
                : 'has less than 1 GB left. Make room, or runs cannot be stored.',
        },
        {
          what: 'Documents',
          isGood: damaged.length === 0,
          text:
            damaged.length === 0
              ? 'all that were asked for can be read'
              : `${damaged.length} cannot be read. The board lists them; export or delete them.`,
        },
        {
          what: 'Faults',
          isGood: errors === 0,
          text: errors === 0 ? 'none since the start' : `${errors} since the start; the log says more.`,
        },
      ],
      log: { file: this.log.file, recent: [...this.log.recent] },
    };
  }
}

/** The address of a database as it may be shown. */
function withoutPassword(address: string): string {
  const url = new URL(address);
  url.password = '';
  url.search = '';
  return url.href;
}

/** The room on the disk of the first of these folders that is there; null where none can be asked. */
function diskOf(folders: readonly string[]): About['disk'] {
  const folder = folders.find((candidate) => candidate !== '' && existsSync(candidate));
  if (folder === undefined) return null;
  try {
    const { bavail, blocks, bsize } = statfsSync(folder);
    return { freeBytes: bavail * bsize, totalBytes: blocks * bsize };
  } catch {
    return null;
  }
}

/** How much a folder holds; what cannot be read counts as nothing. */
function sizeOf(folder: string): { bytes: number; files: number } {
  const sum = { bytes: 0, files: 0 };
  try {
    for (const dirent of readdirSync(folder, { withFileTypes: true, recursive: true })) {
      if (!dirent.isFile()) continue;
      sum.bytes += statSync(join(dirent.parentPath, dirent.name), { throwIfNoEntry: false })?.size ?? 0;
      sum.files++;
    }
  } catch {
    // The folder is made when it is first needed.
  }
  return sum;
}
