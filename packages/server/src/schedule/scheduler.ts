import {
  isReady,
  momentWords,
  startId,
  startNotice,
  startsBetween,
  verdictNotice,
  type NoticeKind,
  type PlannedStart,
  type Schedule,
  type ScheduledStart,
  type Workload,
} from '@sturdy/core';
import type { Conductor } from '../conductor/conductor.js';
import type { Projects } from '../projects/projects.js';
import type { Store } from '../store/store-client.js';
import type { RunMaterial } from '../explain/run-material.js';
import type { Notices } from '../notice/notices.js';
import type { RunStarter } from '../workloads/run-starter.js';
import type { Clock } from '../clock/clock.js';
import type { ReadinessCheck } from './readiness-check.js';

/** A start that is this late is missed: whoever planned it for the night does not want it by day. */
const lateMs = 60_000;
/** Where a run could not begin, it is looked again so often whether it can by now. */
const lookAgainMs = 5 * 60_000;
const tickMs = 1000;
/** Where nothing is due, schedules are read again after so long. */
const restMs = 10_000;
/** Of starts that were missed in a row so many are told; the earlier ones are counted. */
const mostMissed = 10;

const noWorkload = 'Its workload was deleted. Choose another one, or delete the schedule.';

const why = (error: unknown): string => (error instanceof Error ? error.message : String(error));

/** What the scheduler works with. */
export interface SchedulerGround {
  services: { store: Store; conductor: Pick<Conductor, 'current'>; projects: Pick<Projects, 'need'> };
  starter: Pick<RunStarter, 'start'>;
  readiness: Pick<ReadinessCheck, 'look'>;
  notices: Pick<Notices, 'tell'>;
  runs: Pick<RunMaterial, 'measured' | 'findings'>;
  clock: Clock;
  warn: (text: string) => void;
}

/**
 * Begins the runs of schedules. How far each schedule was looked at is kept before a run begins, so that a start is begun once or not at all: what
 * was due while this machine was off or asleep is missed and told, and never caught up.
 */
export class Scheduler {
  readonly #ground: SchedulerGround;
  #stop: (() => void) | null = null;
  #ticking: Promise<void> | null = null;
  /** Nothing is due before this moment, in ms since 1970. */
  #restsUntilMs = 0;
  /** Looks at readiness that go on, by the id of their start. */
  readonly #looking = new Map<string, Promise<ScheduledStart>>();

  constructor(ground: SchedulerGround) {
    this.#ground = ground;
  }

  start(): void {
    const { clock } = this.#ground;
    this.#stop ??= clock.every(tickMs, () => {
      if (clock.now() >= this.#restsUntilMs) void this.tick();
    });
  }

  /** Something was changed, so what is due may be another. */
  wake(): void {
    this.#restsUntilMs = 0;
  }

  async close(): Promise<void> {
    this.#stop?.();
    this.#stop = null;
    await this.#ticking;
    await Promise.allSettled(this.#looking.values());
  }

  /** Looks what is due. One look at a time; whoever asks meanwhile waits for the one that goes on. */
  tick(): Promise<void> {
    this.#ticking ??= this.#look()
      .catch((error: unknown) => {
        this.#ground.warn(`Schedules could not be looked at: ${why(error)}`);
      })
      .finally(() => {
        this.#ticking = null;
      });
    return this.#ticking;
  }

  async #look(): Promise<void> {
    const { services, clock } = this.#ground;
    this.#restsUntilMs = clock.now() + restMs;
    await this.#followRuns();
    for (const { schedule, consideredUntilMs } of await services.store.activeSchedules()) {
      if (schedule.isPaused) continue;
      const now = clock.now();
      const due = startsBetween(schedule, consideredUntilMs, now);
      if (due.length > 0) {
        // Kept first: a crash from here on leaves a start that was not begun, never one that is begun twice.
        await services.store.saveConsidered(schedule.id, new Date(now).toISOString());
        await this.#come(schedule, due, now);
      }
      for (const start of startsBetween(schedule, now, now + schedule.readinessMinutes * 60_000))
        if (start.change?.to !== null) await this.#prepare(schedule, start, now);
      const [next] = startsBetween(schedule, now, now + restMs, 1);
      this.#restsUntilMs = Math.min(this.#restsUntilMs, next?.ms ?? Infinity);
    }
  }

  /** Starts whose time has come. */
  async #come(schedule: Schedule, due: readonly PlannedStart[], now: number): Promise<void> {
    const wanted: PlannedStart[] = [];
    for (const start of due) {
      if (start.change?.to === null) await this.#keep(await this.#record(schedule, start), 'canceled', `Canceled by ${start.change.by}.`);
      else wanted.push(start);
    }
    const missed = wanted.filter(({ ms }) => now - ms > lateMs);
    for (const [at, start] of missed.slice(-mostMissed).entries()) {
      const earlier = at === 0 ? missed.length - mostMissed : 0;
      const text = `Nothing was there to begin it: this server did not run, or its machine was off or asleep. It was not caught up.${earlier > 0 ? ` ${earlier} earlier starts were missed, too.` : ''}`;
      await this.#tell('missed', await this.#keep(await this.#record(schedule, start), 'missed', text), schedule);
    }
    for (const start of wanted.filter(({ ms }) => now - ms <= lateMs)) await this.#begin(schedule, start);
  }

  /** Begins the run of a start, or leaves it out with the reason; whatever goes wrong is told. */
  async #begin(schedule: Schedule, start: PlannedStart): Promise<void> {
    const { services, starter } = this.#ground;
    let record = await this.#record(schedule, start);
    try {
      const workload = await services.store.workload(schedule.workloadId);
      if (!workload) throw new Error(noWorkload);
      // One whose readiness is still looked at waits for the answer.
      record = (await this.#looking.get(record.id)) ?? record;
      if (!record.readiness) record = await this.#lookAt(schedule, workload, start, record);
      if (record.readiness && !isReady(record.readiness) && schedule.whenNotReady === 'leave out')
        throw new Error('It was not ready to begin.');
      await this.#keep(record, 'beginning', '');
      const run = await starter.start(workload, { by: `Schedule “${schedule.name}”`, chosen: schedule.environmentId ?? undefined });
      record = { ...record, runId: run.id };
      await this.#tell('began', await this.#keep(record, 'began', `Run ${run.number} began.`), schedule);
    } catch (error) {
      // A run that has begun goes on; what could not be told of it changes nothing.
      if (record.runId !== null) throw error;
      await this.#tell('left out', await this.#keep(record, 'left out', why(error)), schedule);
    }
  }

  /** Looks whether a run that comes will be able to begin; once more after a while where it will not. */
  async #prepare(schedule: Schedule, start: PlannedStart, now: number): Promise<void> {
    const id = startId(schedule.id, start.planned);
    if (this.#looking.has(id)) return;
    const record = await this.#record(schedule, start);
    const known = record.readiness;
    if (known && (isReady(known) || now - Date.parse(known.at) < lookAgainMs)) return;
    const workload = await this.#ground.services.store.workload(schedule.workloadId);
    if (!workload) return;
    const looking = this.#lookAt(schedule, workload, start, record);
    this.#looking.set(id, looking);
    // Looking plays rehearsals; other schedules do not wait for it.
    void looking
      .catch((error: unknown) => {
        this.#ground.warn(`It could not be looked whether “${schedule.name}” will be able to begin: ${why(error)}`);
      })
      .finally(() => this.#looking.delete(id));
  }

  /** Looks at the readiness of a start, keeps what was found, and tells it where it is bad for the first time. */
  async #lookAt(schedule: Schedule, workload: Workload, start: PlannedStart, record: ScheduledStart): Promise<ScheduledStart> {
    const { services, readiness, clock } = this.#ground;
    const found = await readiness.look(schedule, workload, start.ms, clock.now());
    const text = isReady(found)
      ? 'It can begin.'
      : schedule.whenNotReady === 'leave out'
        ? 'It will be left out, unless what was found is put right by then.'
        : 'It will begin nevertheless.';
    const looked = { ...record, readiness: found, text };
    await services.store.saveScheduledStart(looked);
    const wasReady = record.readiness === null || isReady(record.readiness);
    if (!isReady(found) && wasReady) await this.#tell('not ready', looked, schedule);
    return looked;
  }

  /** Looks now whether a coming start will be able to begin, because somebody asks. */
  async lookNow(schedule: Schedule, start: PlannedStart): Promise<ScheduledStart> {
    const id = startId(schedule.id, start.planned);
    const workload = await this.#ground.services.store.workload(schedule.workloadId);
    const record = await this.#record(schedule, start);
    if (!workload) return this.#keep(record, 'waiting', noWorkload);
    const known = this.#looking.get(id);
    if (known) return known;
    const looking = this.#lookAt(schedule, workload, start, record).finally(() => this.#looking.delete(id));
    this.#looking.set(id, looking);
    return looking;
  }

  /** Tells the verdict of runs that have ended, and what a crash left of those that were about to begin. */
  async #followRuns(): Promise<void> {
    const { services, runs } = this.#ground;
    for (const start of await services.store.openStarts()) {
      const schedule = (await services.store.schedules(start.projectId)).find(({ id }) => id === start.scheduleId) ?? null;
      if (start.state === 'beginning') {
        const text = 'This server ended while the run was about to begin. Look at the runs whether it did; it was not begun again.';
        await this.#tell('missed', await this.#keep(start, 'missed', text), schedule);
        continue;
      }
      if (services.conductor.current?.id === start.runId) continue;
      const run = start.runId === null ? null : await services.store.run(start.runId);
      if (!run) {
        await this.#keep(start, 'ended', 'Its run was deleted.');
        continue;
      }
      if (run.endedAt === null) continue;
      const measured = await runs.measured(run);
      await this.#keep(start, 'ended', `Run ${run.number} ended: ${run.state === 'done' ? `criteria ${run.verdict}` : run.state}.`);
      if (!schedule) continue;
      const project = (await services.projects.need(run.projectId)).name;
      await this.#ground.notices.tell(schedule.notify, {
        projectId: run.projectId,
        kind: 'verdict',
        document: verdictNotice(measured.result, await runs.findings(run, measured), project),
        path: `/runs/${run.id}`,
        runId: run.id,
      });
    }
  }

  /** What is kept of a start; a new record where nothing is. A start that was put off after it was looked at is looked at anew. */
  async #record(schedule: Schedule, start: PlannedStart): Promise<ScheduledStart> {
    const { store } = this.#ground.services;
    const at = new Date(start.ms).toISOString();
    const known = await store.scheduledStart(startId(schedule.id, start.planned));
    if (known) return known.at === at ? known : { ...known, at, readiness: null };
    return {
      id: startId(schedule.id, start.planned),
      projectId: schedule.projectId,
      scheduleId: schedule.id,
      schedule: schedule.name,
      workload: (await store.workload(schedule.workloadId))?.name ?? 'deleted',
      zone: schedule.zone,
      planned: start.planned,
      at,
      state: 'waiting',
      readiness: null,
      text: '',
      runId: null,
    };
  }

  async #keep(start: ScheduledStart, state: ScheduledStart['state'], text: string): Promise<ScheduledStart> {
    const kept = { ...start, state, text };
    await this.#ground.services.store.saveScheduledStart(kept);
    return kept;
  }

  async #tell(kind: Exclude<NoticeKind, 'verdict' | 'trial'>, start: ScheduledStart, schedule: Schedule | null): Promise<void> {
    const { services, notices, clock, warn } = this.#ground;
    if (kind !== 'began') warn(`Schedule “${start.schedule}”, start of ${momentWords(Date.parse(start.at), start.zone)}: ${start.text}`);
    if (!schedule) return;
    const project = (await services.projects.need(start.projectId)).name;
    await notices.tell(schedule.notify, {
      projectId: start.projectId,
      kind,
      document: startNotice(kind, start, project, clock.now()),
      path: start.runId === null ? '/schedule' : `/runs/${start.runId}`,
    });
  }
}
