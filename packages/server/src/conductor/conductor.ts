import { randomUUID } from 'node:crypto';
import { usedEnvironment, type Environment, type Run, type UserState, type Watch, type Workload } from '@sturdy/core';
import type { Plan } from '@sturdy/engine';
import type { Compute } from '../compute/tasks.js';
import type { LiveHub } from '../live/live-hub.js';
import { Problem } from '../problem/problem.js';
import type { SampleFiles } from '../samples/sample-files.js';
import { LiveRun, type RunGround } from './live-run.js';
import { planRun } from './plan-run.js';
import { playedStates } from './played-states.js';
import { usualSilenceLimits, type SilenceLimits } from './run-generators.js';
import type { RunStore } from './run-store.js';
import type { Transport } from './transport.js';

/** Starts runs, one at a time, and hands on what people want of the live one. */
export class Conductor {
  readonly #live = new Map<string, LiveRun>();
  readonly #ground: RunGround;

  constructor(
    store: RunStore,
    compute: Pick<Compute, 'runResult'>,
    live: Pick<LiveHub, 'tell'>,
    transport: Transport,
    /** Where each request of a run is kept; absent where nobody will ask for one. */
    samples: Pick<SampleFiles, 'keep' | 'capture' | 'end'> | null = null,
    silenceLimits: SilenceLimits = usualSilenceLimits,
  ) {
    this.#ground = { store, compute, live, transport, samples, silenceLimits };
  }

  get current(): Run | null {
    return [...this.#live.values()][0]?.run ?? null;
  }

  /** What each user of a live run does; none where the run is not live. */
  users(runId: string): UserState[] {
    return this.#live.get(runId)?.users ?? [];
  }

  /**
   * Starts a run, and reads the figures of the watched hosts while it lasts. `shownSigns` are failure signs that recorded
   * answers hold. Throws a problem where the workload cannot be played.
   */
  async start(workload: Workload, environment: Environment, watches: readonly Watch[] = [], shownSigns?: Plan['shownSigns']): Promise<Run> {
    const busy = this.current;
    if (busy)
      throw new Problem(
        409,
        'A run is live',
        `Run ${busy.number} is still live. Finish or abort it first, or its figures would be mixed with those of the new one.`,
      );
    const { store, samples } = this.#ground;
    const planned = await planRun(store, workload, environment, samples !== null, shownSigns);
    const before = await store.runs(workload.projectId);
    const run: Run = {
      id: randomUUID(),
      projectId: workload.projectId,
      number: (before[0]?.number ?? 0) + 1,
      workload,
      environmentId: environment.id,
      environment: usedEnvironment(environment),
      played: await playedStates(store, planned),
      state: 'starting',
      startedAt: new Date().toISOString(),
      endedAt: null,
      note: null,
      verdict: 'none',
      watches: [...watches],
    };
    await store.saveRun(run);
    this.#live.set(run.id, new LiveRun(run, planned, this.#ground, () => this.#live.delete(run.id)));
    return run;
  }

  /** The live run of an id, which takes what people want of it. Throws a problem where it has ended. */
  need(runId: string): LiveRun {
    const live = this.#live.get(runId);
    if (!live) throw new Problem(409, 'The run has ended', 'This run is not live any more. Open its page to see its figures.');
    return live;
  }

  async close(): Promise<void> {
    for (const live of [...this.#live.values()]) await live.stop();
  }
}
