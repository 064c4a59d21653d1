import {
  correlate,
  layBeside,
  scriptFromTake,
  searchTake,
  surveyTake,
  type BesideRow,
  type FromTakeOptions,
  type Survey,
  judgeRehearsal,
  lanesOf,
  readCsv,
  repair,
  runResult,
  type Captured,
  type Correlated,
  type CsvTable,
  type Frame,
  type LanePoint,
  type LoadedTake,
  type Rehearsal,
  type Run,
  type RunResult,
  type Script,
} from '@sturdy/core';
import type { StoredTake } from '../store/repository.js';

const load = (stored: StoredTake): LoadedTake => ({
  take: stored.take,
  exchanges: stored.exchanges,
  readBody: (hash) => stored.bodies[hash],
  readBytes: (hash) => stored.bytes[hash],
});

/** Work that would stall the API, each a plain function of plain data; run in a thread of its own. */
export const tasks = {
  correlate: (script: Script, take: StoredTake, second: StoredTake | null): Correlated =>
    correlate(script, load(take), second && load(second)),

  judge: (
    script: Script,
    take: StoredTake,
    captured: Omit<Captured, 'readBody'> & { bodies: Record<string, string> },
  ): Pick<Rehearsal, 'steps' | 'verdict' | 'divergence'> =>
    judgeRehearsal(script, load(take), { ...captured, readBody: (hash) => captured.bodies[hash] }),

  repair: (script: Script, take: StoredTake, rehearsal: Rehearsal): Correlated => repair(script, load(take), rehearsal),

  survey: (take: StoredTake): Survey => surveyTake(load(take)),
  scriptFromTake: (take: StoredTake, options: FromTakeOptions): Script => scriptFromTake(load(take), options),
  search: (take: StoredTake, text: string): ReturnType<typeof searchTake> => searchTake(load(take), text),
  beside: (first: StoredTake, second: StoredTake): BesideRow[] => layBeside(load(first), load(second)),

  readCsv: (text: string): CsvTable => readCsv(text),
  runResult: (run: Run, frames: Frame[], scripts: Script[]): RunResult => runResult(run, frames, scripts),
  lanes: (frames: Frame[]): LanePoint[] => lanesOf(frames),
};

/** The tasks as the rest of the server calls them. */
export type Compute = { [K in keyof typeof tasks]: (...args: Parameters<(typeof tasks)[K]>) => Promise<ReturnType<(typeof tasks)[K]>> };
