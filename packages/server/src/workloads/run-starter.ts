import { addressOrigin, judgedWorkload, scriptTargets, type Environment, type Run, type ShownSigns, type Workload } from '@sturdy/core';
import type { Compute } from '../compute/tasks.js';
import type { Conductor } from '../conductor/conductor.js';
import type { Asker, Environments } from '../environments/environments.js';
import { Problem } from '../problem/problem.js';
import type { Store } from '../store/store-client.js';
import { forbiddenBy } from './blackout-problem.js';

/** Starts runs of stored workloads, for people and for schedules. */
export class RunStarter {
  constructor(readonly services: { store: Store; environments: Environments; compute: Compute; conductor: Conductor }) {}

  /** Throws a problem where it may not begin: nothing may run now, another run is live, or the workload cannot be played. */
  async start(workload: Workload, { by, chosen }: Asker): Promise<Run> {
    const { store, environments, conductor } = this.services;
    // The run keeps what it was judged by, whatever the project says later.
    const settings = await store.projectSettings(workload.projectId);
    const all = await store.scripts(workload.projectId);
    const judged = judgedWorkload(workload, all, await store.brief(workload.projectId), settings);
    const environment = await environments.inUse(workload.projectId, workload.environmentId ?? chosen);
    const forbidden = forbiddenBy(settings.blackouts ?? [], environment.id, judged, Date.now());
    if (forbidden !== null) throw new Problem(409, 'Nothing may run then', forbidden);
    const run = await conductor.start(judged, environment, settings.watches, await this.#shownIn(workload, environment));
    const scripts = all.filter(({ id }) => workload.crews.some(({ scriptId }) => scriptId === id));
    const watched = settings.watches.flatMap((watch) => (watch.kind === 'machine' ? [] : [addressOrigin(watch.url) ?? watch.url]));
    const targets = new Set([...scripts.flatMap((script) => scriptTargets(script, environment)), ...watched]);
    await environments.noteUse(environment, [...targets], `Run ${run.number} of “${workload.name}”`, by);
    return run;
  }

  /** By script the failure signs that its take shows, too: what a rehearsal passes, a run must not fail. */
  async #shownIn(workload: Workload, { failureSigns }: Environment): Promise<Record<string, ShownSigns>> {
    const { store, compute } = this.services;
    const shown: Record<string, ShownSigns> = {};
    if (failureSigns.length === 0) return shown;
    for (const id of new Set(workload.crews.map((crew) => crew.scriptId))) {
      const script = await store.script(id);
      const take = script && (await store.loadTake(script.takeId));
      if (take) shown[id] = await compute.shownSigns(script, take, failureSigns);
    }
    return shown;
  }
}
