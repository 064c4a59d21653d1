import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { hostSeries, type Run } from '@sturdy/core';
import type { Compute } from '../compute/tasks.js';
import { Problem } from '../problem/problem.js';
import { inParquetThread } from '../samples/parquet-thread.js';
import type { SampleFiles } from '../samples/sample-files.js';
import type { Store } from '../store/store-client.js';
import { makeTemporaryFolder } from '../temporary/temporary-folder.js';
import { tablePath } from '../samples/run-table-files.js';

/** Runs that are kept ready at a time; the one that was used longest ago is cleared away for another. */
const mostKept = 20;

/**
 * Ended runs as files of tables, for series and questions. They are made when somebody asks for them, of what is stored anyway, and live as long as the
 * server does.
 */
export class PreparedRuns {
  #folder: Promise<string> | null = null;
  /** The folder once it is made. */
  #made: string | null = null;
  /** What is made or made already, by run; the one used last stands last. */
  readonly #tables = new Map<string, Promise<string>>();
  readonly #samples = new Map<string, Promise<boolean>>();

  constructor(
    readonly services: { store: Store; compute: Pick<Compute, 'writeRunTables'>; samples: Pick<SampleFiles, 'path'> },
    readonly parquetWorker: URL,
  ) {}

  /** The folder with the tables of a run. Throws a problem where the run still goes on. */
  async tables(run: Run): Promise<string> {
    if (run.endedAt === null)
      throw new Problem(
        409,
        'The run goes on',
        `Run ${run.number} has not ended yet. Look at its lanes meanwhile; explore it when it has ended.`,
      );
    const known = this.#tables.get(run.id);
    // It was used last.
    this.#tables.delete(run.id);
    const made = known ?? this.#make(run);
    this.#tables.set(run.id, made);
    made.catch(() => this.#tables.delete(run.id));
    for (const oldest of [...this.#tables.keys()].slice(0, -mostKept)) this.forget(oldest);
    return made;
  }

  /** The file with the samples of a run; null where none were kept. A run of five million takes a quarter of a minute the first time. */
  async samples(run: Run): Promise<string | null> {
    const folder = await this.tables(run);
    const path = tablePath(folder, 'samples');
    const known = this.#samples.get(run.id);
    const made =
      known ?? inParquetThread(this.parquetWorker, { kind: 'write', samplesPath: this.services.samples.path(run.id), parquetPath: path });
    this.#samples.set(run.id, made);
    made.catch(() => this.#samples.delete(run.id));
    return (await made) ? path : null;
  }

  close(): void {
    if (this.#made !== null) rmSync(this.#made, { recursive: true, force: true });
    this.#folder = null;
    this.#made = null;
    this.#tables.clear();
    this.#samples.clear();
  }

  async #make(run: Run): Promise<string> {
    const { store, compute } = this.services;
    this.#folder ??= makeTemporaryFolder();
    this.#made = await this.#folder;
    const folder = join(this.#made, run.id);
    await compute.writeRunTables(
      folder,
      run,
      await store.frames(run.id),
      hostSeries(run.watches ?? [], await store.hostPoints(run.id)),
      await store.scripts(run.projectId),
    );
    return folder;
  }

  /** Clears away what was made of a run. */
  forget(runId: string): void {
    this.#tables.delete(runId);
    this.#samples.delete(runId);
    if (this.#made !== null) rmSync(join(this.#made, runId), { recursive: true, force: true });
  }
}
