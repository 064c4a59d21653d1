import { existsSync } from 'node:fs';
import { appendFile, open, readFile, rm, type FileHandle } from 'node:fs/promises';
import { join } from 'node:path';
import {
  columnsOf,
  SampleTable,
  staysOf,
  thinned,
  UserLogEntrySchema,
  type SampleBatch,
  type SamplesKept,
  type UserLogEntry,
} from '@sturdy/core';
import { batchBytes, batchColumns, batchPlaces, type BatchHead } from './sample-batches.js';
import { ownFolder } from '../store/own-folder.js';

/** Samples that are kept of one run before they are thinned. */
export const mostSamples = 5_000_000;
/** Bytes that may wait for the disk; above them samples are thinned, so that a slow disk costs figures and not the run. */
const mostWaiting = 128 << 20;

/** Exchanges of a run that are captured in full, at the most. */
const mostCaptured = 2000;

interface Open {
  file: Promise<FileHandle>;
  writing: Promise<void>;
  waiting: number;
  measured: number;
  keepEvery: number;
  failed: boolean;
  captured: number;
}

/**
 * Samples of runs, a file for each run: batches one after another, each with the length of its head (4 bytes, little-endian), its head as
 * JSON, and its columns. Writing waits for nobody, and nobody waits for it.
 */
export class SampleFiles {
  readonly #open = new Map<string, Open>();

  constructor(
    readonly folder: string,
    readonly most = mostSamples,
  ) {}

  path(runId: string): string {
    return join(this.folder, `${runId}.samples`);
  }

  /** Keeps a batch; `told` hears once where the disk does not take it. */
  keep(runId: string, batch: SampleBatch, onProblem: (problem: string) => void): void {
    const ownOpen = this.#of(runId);
    ownOpen.measured += batch.count;
    if (ownOpen.failed) return;
    // A whole file of one density is halved at once when it is full: what was written before is thinned when it is read.
    while (ownOpen.measured / ownOpen.keepEvery > this.most) ownOpen.keepEvery *= 2;
    if (ownOpen.waiting > mostWaiting) ownOpen.keepEvery *= 2;
    const columns = columnsOf(batch);
    const { user, iteration } = columns;
    const part =
      ownOpen.keepEvery > 1
        ? thinned(columns, batch.count, (at) => staysOf(ownOpen.keepEvery, user[at] ?? 0, iteration[at] ?? 0))
        : { columns, count: batch.count };
    const head: BatchHead = {
      version: 1,
      count: part.count,
      names: batch.names,
      kinds: batch.kinds,
      measured: ownOpen.measured,
      keepEvery: ownOpen.keepEvery,
    };
    const bytes = batchBytes(head, part.columns);
    ownOpen.waiting += bytes.length;
    ownOpen.writing = ownOpen.writing.then(async () => {
      try {
        if (!ownOpen.failed) await (await ownOpen.file).writeFile(bytes);
      } catch (error) {
        ownOpen.failed = true;
        onProblem(`Single samples are kept no longer: ${error instanceof Error ? error.message : String(error)}`);
      }
      ownOpen.waiting -= bytes.length;
    });
  }

  /** Keeps exchanges that were captured in full; those above a number are left out. */
  capture(runId: string, exchanges: readonly UserLogEntry[]): void {
    const ownOpen = this.#of(runId);
    const some = exchanges.slice(0, Math.max(0, mostCaptured - ownOpen.captured));
    ownOpen.captured += some.length;
    if (some.length === 0) return;
    const lines = some.map((entry) => `${JSON.stringify(entry)}\n`).join('');
    // A full disk costs what is captured, and not the run.
    ownOpen.writing = ownOpen.writing.then(() => appendFile(this.capturePath(runId), lines).catch(() => undefined));
  }

  /** What was captured in full of a run, oldest first. */
  async captured(runId: string): Promise<UserLogEntry[]> {
    const path = this.capturePath(runId);
    if (!existsSync(path)) return [];
    return (await readFile(path, 'utf8'))
      .split('\n')
      .flatMap((line) => (line.endsWith('}') ? [UserLogEntrySchema.parse(JSON.parse(line))] : []));
  }

  capturePath(runId: string): string {
    return join(this.folder, `${runId}.captured.jsonl`);
  }

  /** The run is over: all that waits is written. */
  async end(runId: string): Promise<void> {
    const ownOpen = this.#open.get(runId);
    if (!ownOpen) return;
    this.#open.delete(runId);
    await ownOpen.writing;
    await ownOpen.file.then(
      (file) => file.close(),
      () => undefined,
    );
  }

  /** Deletes what was kept of a run. */
  async delete(runId: string): Promise<void> {
    await Promise.all([this.path(runId), this.capturePath(runId)].map((path) => rm(path, { force: true })));
  }

  /** Rejects where the disk does not take it. */
  async #openFile(runId: string): Promise<FileHandle> {
    ownFolder(this.folder);
    return open(this.path(runId), 'a');
  }

  #of(runId: string): Open {
    const known = this.#open.get(runId);
    if (known) return known;
    const file = this.#openFile(runId);
    // Who writes hears of it.
    file.catch(() => undefined);
    const ownOpen: Open = { file, writing: Promise.resolve(), waiting: 0, measured: 0, keepEvery: 1, failed: false, captured: 0 };
    this.#open.set(runId, ownOpen);
    return ownOpen;
  }
}

/** Reads the samples of a run; null where none were kept. A batch that a crash cut off is left out. */
export async function readSamples(path: string): Promise<{ table: SampleTable; kept: SamplesKept } | null> {
  const places = await batchPlaces(path);
  const last = places.at(-1)?.head;
  if (!last) return null;
  const table = new SampleTable(places.reduce((sum, { head }) => sum + head.count, 0));
  for await (const { head, columns } of batchColumns(path, places))
    // What was written more densely is made as thin as the rest.
    table.add(columns, head.count, head.names, head.kinds, head.keepEvery < last.keepEvery ? last.keepEvery : 1);
  return { table, kept: { kept: table.count, measured: last.measured, keepEvery: last.keepEvery } };
}
