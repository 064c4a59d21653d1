import {
  baselineRunFor,
  hostSeries,
  plainRules,
  type Baseline,
  type Finding,
  type HostSeries,
  type MeasuredRun,
  type Run,
} from '@sturdy/core';
import type { Store } from '../store/store-client.js';
import { notFound } from '../problem/problem.js';
import type { Compute } from '../compute/tasks.js';

/** What is asked of stored runs by those who explain, compare and report them. */
export class RunMaterial {
  constructor(readonly services: { store: Store; compute: Compute }) {}

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

  /** The zero line of a run; null where no run before it is one. */
  async baseline(run: Run): Promise<Baseline | null> {
    const { store, compute } = this.services;
    const zero = baselineRunFor(run, await store.runs(run.projectId));
    return zero && compute.baseline(zero, await store.frames(zero.id));
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
    });
  }
}
