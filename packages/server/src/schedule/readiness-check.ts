import { existsSync } from 'node:fs';
import { statfs } from 'node:fs/promises';
import { availableParallelism, freemem } from 'node:os';
import { dirname } from 'node:path';
import {
  clockPoint,
  diskPoint,
  generatorPoint,
  rowPoints,
  scriptTargets,
  type Environment,
  type Readiness,
  type ReadinessPoint,
  type Schedule,
  type Script,
  type Workload,
} from '@sturdy/core';
import type { Conductor } from '../conductor/conductor.js';
import type { Environments } from '../environments/environments.js';
import type { RehearsalRoom } from '../rehearse/rehearsal-room.js';
import type { Store } from '../store/store-client.js';
import { runForecast } from '../workloads/run-forecast.js';
import { askTarget } from './ask-target.js';
import { forbiddenBy } from '../workloads/blackout-problem.js';

/** What a virtual user takes of memory, in bytes, with its cookies, rows and connection: an estimate, rounded up. */
const bytesPerUser = 300_000;

/** A folder, or the nearest one above it that is there: it is made when something is written into it. */
const existingFolder = (folder: string): string => (existsSync(folder) ? folder : existingFolder(dirname(folder)));

const why = (error: unknown): string => (error instanceof Error ? error.message : String(error));

/** Looks whether a run of a schedule will be able to begin, and to go on until its end. */
export class ReadinessCheck {
  constructor(
    readonly services: {
      store: Store;
      environments: Environments;
      rehearsalRoom: Pick<RehearsalRoom, 'rehearse'>;
      conductor: Pick<Conductor, 'current'>;
    },
    /** Where samples are written. */
    readonly samplesFolder: string,
  ) {}

  /** `startMs`: when the run is to begin, in ms since 1970. Its rehearsals are real ones: they make records, and rows that are used once are spent. */
  async look(schedule: Schedule, workload: Workload, startMs: number, nowMs: number): Promise<Readiness> {
    const { store, environments } = this.services;
    const at = new Date(nowMs).toISOString();
    let environment: Environment;
    try {
      environment = await environments.inUse(workload.projectId, workload.environmentId ?? schedule.environmentId ?? undefined);
    } catch (error) {
      return { at, points: [{ kind: 'target', state: 'bad', text: why(error) }] };
    }
    const scripts = (await store.scripts(workload.projectId)).filter(({ id }) => workload.crews.some(({ scriptId }) => scriptId === id));
    const points = [
      ...(await this.#blackout(environment, workload, startMs)),
      ...this.#otherRuns(),
      ...(await this.#targets(environment, scripts)),
    ];
    // Where no target answers, nobody learns more from a rehearsal that fails.
    if (points.every(({ kind, state }) => kind !== 'target' || state === 'good'))
      points.push(...(await this.#rehearsals(environment, scripts)));
    points.push(...(await this.#forecast(schedule, workload)));
    return { at, points };
  }

  async #blackout(environment: Environment, workload: Workload, startMs: number): Promise<ReadinessPoint[]> {
    const { blackouts = [] } = await this.services.store.projectSettings(workload.projectId);
    const forbidden = forbiddenBy(blackouts, environment.id, workload, startMs);
    return forbidden === null ? [] : [{ kind: 'blackout', state: 'bad', text: forbidden }];
  }

  #otherRuns(): ReadinessPoint[] {
    const live = this.services.conductor.current;
    return live
      ? [
          {
            kind: 'other runs',
            state: 'unsure',
            text: `Run ${live.number} of “${live.workload.name}” is live now. This one begins only if that one has ended by then.`,
          },
        ]
      : [];
  }

  async #targets(environment: Environment, scripts: readonly Script[]): Promise<ReadinessPoint[]> {
    const points: ReadinessPoint[] = [];
    for (const origin of new Set(scripts.flatMap((script) => scriptTargets(script, environment)))) {
      try {
        const { askedMs, theirMs, oursMs } = await askTarget(origin, { environment, lookup: this.services.environments.lookup });
        points.push(
          { kind: 'target', state: 'good', text: `${origin} answered within ${askedMs} ms.` },
          clockPoint(theirMs, oursMs, askedMs),
        );
      } catch (error) {
        points.push({ kind: 'target', state: 'bad', text: `${origin} does not answer: ${why(error)}. See whether it runs.` });
      }
    }
    return points;
  }

  async #rehearsals(environment: Environment, scripts: readonly Script[]): Promise<ReadinessPoint[]> {
    const points: ReadinessPoint[] = [];
    for (const script of scripts) {
      try {
        const { verdict, divergence, number } = await this.services.rehearsalRoom.rehearse(script, environment);
        points.push(
          verdict === 'passed'
            ? { kind: 'rehearsal', state: 'good', text: `“${script.name}” passes (rehearsal ${number}).` }
            : {
                kind: 'rehearsal',
                state: verdict === 'failed' ? 'bad' : 'unsure',
                text: `“${script.name}” ${verdict === 'failed' ? 'fails' : 'answered otherwise than recorded'} (rehearsal ${number}): ${divergence?.sentence ?? 'see its page.'}`,
              },
        );
      } catch (error) {
        points.push({ kind: 'rehearsal', state: 'bad', text: `“${script.name}” could not be rehearsed: ${why(error)}` });
      }
    }
    return points;
  }

  async #forecast(schedule: Schedule, workload: Workload): Promise<ReadinessPoint[]> {
    try {
      const forecast = await runForecast(this.services, workload, schedule.environmentId ?? undefined);
      const { bavail, bsize } = await statfs(existingFolder(this.samplesFolder));
      const names = new Map((await this.services.store.tables(workload.projectId)).map(({ id, name }) => [id, name]));
      return [
        ...rowPoints(forecast, (table) => names.get(table) ?? table),
        // Tables without rows are told already, each with what it lacks.
        ...forecast.obstacles
          .filter((obstacle) => ![...names.values()].some((name) => obstacle.startsWith(`The table “${name}”`)))
          .map((text): ReadinessPoint => ({ kind: 'generators', state: 'bad', text })),
        generatorPoint(forecast.users, availableParallelism(), freemem(), bytesPerUser),
        diskPoint(forecast, bavail * bsize),
      ];
    } catch (error) {
      return [{ kind: 'generators', state: 'bad', text: `What the run would do cannot be told: ${why(error)}` }];
    }
  }
}
