import { accessSync, constants, statfsSync } from 'node:fs';

/** The disk takes no more; nothing was begun. */
export class NoRoomError extends Error {
  override readonly name = 'NoRoomError';
}

/**
 * What has to be left on the disk, in bytes, before anything is written: the embedded database takes its log in pieces of 16 MB, and cannot go on
 * where it finds no room in the middle of a write.
 */
export const leftBytes = 64 << 20;

/** Less room than this on the disk, in bytes, is told; a run of an hour writes some hundred megabytes. */
export const littleRoomBytes = 1 << 30;

/** Throws where the folder of the database takes no writes: too little room, or a disk that may only be read. */
export function needRoom(folder: string): void {
  try {
    accessSync(folder, constants.W_OK);
  } catch (error) {
    throw new NoRoomError(
      `The folder ${folder} cannot be written to (${(error as NodeJS.ErrnoException).code ?? 'unknown'}). Nothing of this was stored; make it writable.`,
    );
  }
  const { bavail, bsize } = statfsSync(folder);
  const left = bavail * bsize;
  if (left < leftBytes)
    throw new NoRoomError(
      `No room on the disk: ${Math.floor(left / (1 << 20))} MB are left for ${folder}, and ${leftBytes >> 20} MB have to be. Nothing of this was stored; make room.`,
    );
}

/** The error of a database that found no room for a table (SQLSTATE 53100), in words of our own; null for any other. */
export function noRoomIn(error: unknown): NoRoomError | null {
  for (let cause = error; cause instanceof Error; cause = cause.cause)
    if ((cause as { code?: string }).code === '53100')
      return new NoRoomError(`No room on the disk of the database (${cause.message}). Nothing of this was stored; make room.`);
  return null;
}
