import type { Forecast } from '../workload/forecast.js';
import type { ReadinessPoint } from './scheduled-start.schema.js';

/** What a sample takes in its file, and a second with its frame in the database, in bytes: estimates, rounded up. */
const bytesPerSample = 40;
const bytesPerSecond = 20_000;
/** Left for everything else on the disk, in bytes. */
const reserveBytes = 1 << 30;

const megabytes = (bytes: number): string => `${Math.ceil(bytes / (1 << 20)).toLocaleString('en')} MB`;

/** Whether rows suffice until the end, by table. */
export function rowPoints({ tables }: Pick<Forecast, 'tables'>, nameOf: (table: string) => string): ReadinessPoint[] {
  return tables.map(({ table, rowsNeeded, rowsFree, emptyAtSeconds }): ReadinessPoint => {
    const [free, needed] = [rowsFree.toLocaleString('en'), rowsNeeded.toLocaleString('en')];
    const name = nameOf(table);
    return emptyAtSeconds === null
      ? { kind: 'rows', state: 'good', text: `“${name}” has ${free} free rows; about ${needed} are dealt.` }
      : {
          kind: 'rows',
          state: 'bad',
          text: `“${name}” has ${free} free rows of about ${needed} that are needed, and will be empty after ${Math.floor(emptyAtSeconds)} s. Add rows, or release spent ones.`,
        };
  });
}

/** Whether the disk takes what a run will write. */
export function diskPoint({ requests, seconds }: Pick<Forecast, 'requests' | 'seconds'>, freeBytes: number): ReadinessPoint {
  const needed = requests * bytesPerSample + seconds * bytesPerSecond;
  return freeBytes >= needed + reserveBytes
    ? { kind: 'disk', state: 'good', text: `${megabytes(freeBytes)} are free; the run writes about ${megabytes(needed)}.` }
    : {
        kind: 'disk',
        state: 'bad',
        text: `${megabytes(freeBytes)} are free; the run writes about ${megabytes(needed)}, and ${megabytes(reserveBytes)} should be left. Make room.`,
      };
}

/** What an application says its time is tells seconds only. */
const clockToleranceMs = 2000;

/**
 * Whether the clock of this machine runs as that of the target: `theirMs` is what its answer said, `oursMs` the middle of asking, both in ms since
 * 1970. Null where the target did not say.
 */
export function clockPoint(theirMs: number | null, oursMs: number, askedMs: number): ReadinessPoint {
  if (theirMs === null)
    return { kind: 'clock', state: 'unsure', text: 'The target does not say what time it has, so the clocks were not compared.' };
  // The header names whole seconds, cut off.
  const apart = theirMs + 500 - oursMs;
  const seconds = Math.round(Math.abs(apart) / 1000);
  return Math.abs(apart) <= clockToleranceMs + askedMs / 2
    ? { kind: 'clock', state: 'good', text: 'This machine and the target have the same time, to about two seconds.' }
    : {
        kind: 'clock',
        state: 'unsure',
        text: `The target’s clock is ${seconds} s ${apart > 0 ? 'ahead of' : 'behind'} this machine’s. Times of its log will not fit those of the run.`,
      };
}

/** Free threads for generators, and whether the machine has room for the users. `usedBytes` is what a user takes, about. */
export function generatorPoint(users: number, processors: number, freeBytes: number, usedBytes: number): ReadinessPoint {
  const needed = users * usedBytes;
  return freeBytes > needed * 1.2
    ? {
        kind: 'generators',
        state: 'good',
        text: `This machine has ${processors} processors and ${megabytes(freeBytes)} of free memory for ${users === 1 ? 'one user' : `${users.toLocaleString('en')} users`}.`,
      }
    : {
        kind: 'generators',
        state: 'bad',
        text: `${users.toLocaleString('en')} users take about ${megabytes(needed)} of memory; ${megabytes(freeBytes)} are free. End other programs, or plan fewer users.`,
      };
}
