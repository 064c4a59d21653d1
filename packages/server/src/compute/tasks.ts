import {
  correlate,
  importHar,
  judgeRehearsal,
  lanesOf,
  readCsv,
  repair,
  runResult,
  type BodyRef,
  type Captured,
  type Correlated,
  type CsvTable,
  type Frame,
  type ImportedHar,
  type LanePoint,
  type LoadedTake,
  type Rehearsal,
  type Run,
  type RunResult,
  type Script,
} from '@sturdy/core';
import { createHash } from 'node:crypto';
import type { StoredTake } from '../store/repository.js';

const load = (stored: StoredTake): LoadedTake => ({
  take: stored.take,
  exchanges: stored.exchanges,
  readBody: (hash) => stored.bodies[hash],
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

  importHar: (bytes: Uint8Array): ImportedHar & { bodies: { hash: string; bytes: Uint8Array; mimeType: string }[] } => {
    let document: unknown;
    try {
      document = JSON.parse(
        Buffer.from(bytes)
          .toString('utf8')
          .replace(/^\uFEFF/, ''),
      );
    } catch (error) {
      throw new Error(
        `This is not a HAR file: it is not valid JSON (${error instanceof Error ? error.message : 'unknown reason'}). Export it again, then import that file.`,
        { cause: error },
      );
    }
    const bodies = new Map<string, { hash: string; bytes: Uint8Array; mimeType: string }>();
    const imported = importHar(document, {
      put: (body, mimeType): BodyRef => {
        const hash = createHash('sha256').update(body).digest('hex');
        bodies.set(hash, { hash, bytes: body, mimeType });
        return { hash, size: body.length, mimeType };
      },
    });
    return { ...imported, bodies: [...bodies.values()] };
  },

  readCsv: (text: string): CsvTable => readCsv(text),
  runResult: (run: Run, frames: Frame[], scripts: Script[]): RunResult => runResult(run, frames, scripts),
  lanes: (frames: Frame[]): LanePoint[] => lanesOf(frames),
};

/** The tasks as the rest of the server calls them. */
export type Compute = { [K in keyof typeof tasks]: (...args: Parameters<(typeof tasks)[K]>) => Promise<ReturnType<(typeof tasks)[K]>> };
