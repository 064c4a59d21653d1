import {
  baselineRunFor,
  hostSeries,
  plainRules,
  SampleQuerySchema,
  type Baseline,
  type Finding,
  type Frame,
  type Histories,
  type HostSeries,
  type MeasuredRun,
  type PlayedTable,
  type Run,
  type RunComparison,
  type Trend,
  type UserFigures,
  type Workload,
} from '@sturdy/core';
import type { SampleFiles } from '../samples/sample-files.js';
import type { Store } from '../store/store-client.js';
import { notFound } from '../problem/problem.js';
import type { Compute } from '../compute/tasks.js';

/** Data rows that findings look at, at the most; those of a run that played more are not judged. */
const mostRows = 200_000;
/** Rows that are asked of the store at a time. */
const rowsAtATime = 5000;

/** A trend goes back so many runs at most. */
const mostInTrend = 40;

/** What is asked of stored runs by those who explain, compare and report them. */
export class RunMaterial {
  constructor(readonly services: { store: Store; compute: Compute; samples: Pick<SampleFiles, 'path'> }) {}

  /** Throws a problem where there is no such run. */
  async need(id: string): Promise<Run> {
    const run = await this.services.store.run(id);
    if (!run) throw notFound('run', id);
    return run;
  }

  async hosts(run: Run): Promise<HostSeries[]> {
    return hostSeries(run.watches ?? [], await this.services.store.hostPoints(run.id));
  }

  async measured(run: Run): Promise<MeasuredRun> {
    const { store, compute } = this.services;
    const [frames, hosts] = [await store.frames(run.id), await this.hosts(run)];
    return { result: await compute.runResult(run, frames, await store.scripts(run.projectId), hosts), frames, hosts };
  }

  /** Runs of a project side by side; the first is what the others are set against. */
  async compared(measured: MeasuredRun[], projectId: string): Promise<RunComparison> {
    const { store, compute } = this.services;
    const histories: Histories = { scripts: {}, tables: {} };
    const played = measured.flatMap(({ result }) => result.run.played ?? []);
    for (const { id } of played.flatMap(({ scripts }) => scripts)) histories.scripts[id] ??= await store.scriptVersions(id);
    for (const { id } of played.flatMap(({ tables }) => tables)) histories.tables[id] ??= await store.tableVersions(id);
    return compute.compareRuns(measured, await store.scripts(projectId), histories);
  }

  /** The zero line of a run; null where no run before it is one. */
  async baseline(run: Run): Promise<Baseline | null> {
    const { store, compute } = this.services;
    const zero = baselineRunFor(run, await store.runs(run.projectId));
    return zero && compute.baseline(zero, await store.frames(zero.id));
  }

  /** Each transaction over the newest runs of a workload that were played to their end. */
  async trend(workload: Pick<Workload, 'id' | 'projectId'>): Promise<Trend> {
    const { store, compute } = this.services;
    const runs = (await store.runs(workload.projectId)).filter((run) => run.workload.id === workload.id && run.state === 'done');
    const measured: MeasuredRun[] = [];
    for (const run of runs.slice(0, mostInTrend).reverse()) measured.push(await this.measured(run));
    return compute.trend(measured);
  }

  /** The figures of each user, where some failed: reading all samples takes its time, and without failures nothing is told of users. */
  async #users(run: Run, frames: readonly Frame[]): Promise<UserFigures[]> {
    const { compute, samples } = this.services;
    if (!frames.some(({ failures }) => failures.length > 0)) return [];
    return compute.sampledUsers(samples.path(run.id), SampleQuerySchema.parse({}));
  }

  /** The data tables that a run played rows of, where these still are. */
  async #tables({ projectId }: Run, frames: readonly Frame[]): Promise<PlayedTable[]> {
    const { store } = this.services;
    const numbers = new Map<string, Set<number>>();
    for (const { table, passed, failed } of frames.flatMap(({ playedRows }) => playedRows ?? [])) {
      const known = numbers.get(table) ?? new Set();
      numbers.set(table, known);
      for (const row of [...passed, ...failed]) known.add(row);
    }
    const played = (await store.tables(projectId)).flatMap((table) => {
      const rows = [...(numbers.get(table.id) ?? [])];
      return rows.length > 0 && rows.length <= mostRows ? [{ table, rows }] : [];
    });
    const tables: PlayedTable[] = [];
    for (const { table, rows } of played) {
      const cells = new Map<number, readonly string[]>();
      for (let from = 0; from < rows.length; from += rowsAtATime)
        for (const { row, values } of await store.rowsAt(table.id, rows.slice(from, from + rowsAtATime))) cells.set(row, values);
      tables.push({ id: table.id, name: table.name, columns: table.columns.map(({ name }) => name), rows: cells });
    }
    return tables;
  }

  async findings(run: Run, { frames, hosts }: Pick<MeasuredRun, 'frames' | 'hosts'>): Promise<Finding[]> {
    const { store, compute } = this.services;
    const { findingRules = plainRules } = await store.projectSettings(run.projectId);
    const { capacityPercent } = await store.brief(run.projectId);
    return compute.findings({
      run,
      frames,
      hosts,
      scripts: await store.scripts(run.projectId),
      rules: findingRules,
      capacityPercent,
      baseline: await this.baseline(run),
      users: await this.#users(run, frames),
      tables: await this.#tables(run, frames),
    });
  }
}
