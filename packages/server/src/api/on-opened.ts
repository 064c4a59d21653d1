import { createHash } from 'node:crypto';

/** A key of what is worked on; another one where anything of it differs. */
export const keyOf = (...parts: unknown[]): string => createHash('sha256').update(JSON.stringify(parts)).digest('hex');

/**
 * Does work on what the computing thread keeps open under a key, because reading a large take takes longer than the work itself; `open` opens
 * it where something else, or nothing, is open. `work` gives undefined in that case.
 */
export async function onOpened<T>(
  key: string,
  work: (key: string) => Promise<T | undefined>,
  open: (key: string) => Promise<void>,
): Promise<T> {
  const done = await work(key);
  if (done !== undefined) return done;
  await open(key);
  const result = await work(key);
  if (result === undefined) throw new Error('Another script was opened at the same moment. Try again.');
  return result;
}
