import {
  curveSeconds,
  hostSeries,
  lanePoint,
  phasesOf,
  StopWatch,
  usersProblem,
  type Run,
  type RunEvent,
  type UserState,
} from '@sturdy/core';
import { MeetingPoints, type FromGenerator } from '@sturdy/engine';
import type { Compute } from '../compute/tasks.js';
import { HostWatcher } from '../hosts/host-reader.js';
import type { LiveHub } from '../live/live-hub.js';
import { Problem } from '../problem/problem.js';
import type { SampleFiles } from '../samples/sample-files.js';
import { LiveSeconds, type LiveSecondFrames } from './live-seconds.js';
import type { PlannedRun } from './plan-run.js';
import { RunCrews } from './run-crews.js';
import { RunGenerators, type SilenceLimits } from './run-generators.js';
import { RunLedger } from './run-ledger.js';
import { RunRows } from './run-rows.js';
import type { RunStore } from './run-store.js';
import type { Transport } from './transport.js';

/** What a run needs of the server. */
export interface RunGround {
  store: RunStore;
  compute: Pick<Compute, 'runResult'>;
  live: Pick<LiveHub, 'tell'>;
  transport: Transport;
  /** Where each request of a run is kept; null where nobody will ask for one. */
  samples: Pick<SampleFiles, 'keep' | 'capture' | 'end'> | null;
  silenceLimits: SilenceLimits;
}

/** Who opens a run reads what is stored, and listens then; what is told in between is kept for so many seconds. */
const keptSeconds = 10;

/** Up to so many users all are told of each second, whether they changed or not. */
const toldAlways = 500;

/** Users that are watched at a time, in addition to those that are captured: one for each browser that looks on. */
const mostWatched = 5;

/** Grace after the planned end before a run is aborted, in seconds: every load loop is bounded. */
const graceSeconds = 120;

/** A run that is played now: steers its generators, leases rows to them, and keeps what they tell. */
export class LiveRun {
  #run: Run;
  readonly #generators: RunGenerators;
  /** Why generators were lost. */
  readonly #lost = new Map<number, string>();
  readonly #meetings = new MeetingPoints();
  readonly #crews: RunCrews;
  /** What each user did last. */
  readonly #users = new Map<number, UserState>();
  /** Users whose requests are told one by one, and whether they are captured in full. */
  readonly #watched = new Map<number, boolean>();
  readonly #seconds: LiveSeconds;
  readonly #ledger: RunLedger;
  readonly #rules: StopWatch;
  readonly #rows: RunRows;
  readonly #deadline: NodeJS.Timeout;
  /** Ends the run after its time limit, however far its curve is. */
  #limit: NodeJS.Timeout | null = null;
  #hosts: HostWatcher | null = null;
  /** When it began to play, on the clock of this process. */
  #startedMs = performance.now();
  /** Seconds of the curve that were passed over. */
  #skippedSeconds = 0;
  #paused = false;
  /** Set once the run is being aborted, so that generators that end then do not close it as done. */
  #aborting = false;
  /** The end of the run: nobody plays any more, and figures are still being stored; null before. */
  #end: Promise<void> | null = null;

  /** Opens the generators and sends them their plans. `onEnd` hears once all is stored. */
  constructor(
    run: Run,
    readonly planned: PlannedRun,
    readonly ground: RunGround,
    readonly onEnd: () => void,
  ) {
    this.#run = run;
    const { workload } = run;
    const { plans, tables, files, secrets } = planned;
    this.#ledger = new RunLedger(run.id, ground.store, (text) => {
      this.#tell({ kind: 'note', text });
    });
    this.#rules = new StopWatch(workload.stopRules ?? []);
    this.#crews = new RunCrews(workload, plans);
    this.#rows = new RunRows(ground.store, tables, `run ${run.number}`, workload.seed, (text) => {
      this.#tell({ kind: 'note', text });
    });
    this.#seconds = new LiveSeconds(
      () => this.#generators.expected,
      (second) => {
        this.#showSecond(second);
      },
    );
    this.#deadline = setTimeout(
      () => void this.abort('The run was still going long after its planned end, so it was aborted.'),
      (curveSeconds(workload) + graceSeconds) * 1000,
    );
    this.#generators = new RunGenerators(
      run.id,
      plans.map((plan) => ({ ...plan, runId: run.id })),
      { files, secrets },
      ground.transport,
      ground.silenceLimits,
      {
        onReady: () => {
          // The last one may be ready while the run is being aborted, or has failed.
          if (!this.#aborting && !this.#end) this.#begin();
        },
        onMessage: (generator, message) => {
          this.#receive(generator, message);
        },
        onSilent: (generator) => {
          if (this.#end) return;
          this.#tell({ kind: 'silent', text: `generator ${generator + 1} is silent; nothing waits for its figures`, generator });
          this.#seconds.settle();
        },
        onHeard: (generator, silentMs) => {
          if (this.#end) return;
          const silentSeconds = Math.round(silentMs / 1000);
          this.#tell({
            kind: 'heard',
            text: `generator ${generator + 1} is heard again after ${silentSeconds} s`,
            generator,
            silentSeconds,
          });
        },
        onLost: (generator, why) => {
          this.#lose(generator, why);
        },
      },
    );
  }

  get run(): Run {
    return this.#run;
  }

  /** What each user does. */
  get users(): UserState[] {
    return [...this.#users.values()];
  }

  /** Lets users finish what they are at, as the workload says, then ends the run. */
  finish(note: string | null = null): void {
    this.#run = { ...this.#run, state: 'finishing', note: note ?? this.#run.note };
    this.#generators.toAll({ kind: 'finish' });
    this.#tell({ kind: 'end', text: note ?? 'finished' });
  }

  /** Lets nobody begin an iteration until the run goes on. */
  pause(): void {
    if (this.#run.state !== 'running' || this.#paused) return;
    this.#paused = true;
    this.#generators.toAll({ kind: 'pause' });
    this.#tell({ kind: 'pause', text: 'paused' });
  }

  resume(): void {
    if (!this.#paused) return;
    this.#paused = false;
    this.#generators.toAll({ kind: 'resume' });
    this.#tell({ kind: 'resume', text: 'went on' });
  }

  /** Lets users come to a crew, or go home after their iteration, until it has so many. Throws a problem where that cannot be. */
  changeUsers(crewId: string, users: number): void {
    const { workload, state } = this.#run;
    const crew = workload.crews.find(({ id }) => id === crewId);
    const before = this.#crews.sizeOf(crewId);
    if (!crew || before === undefined)
      throw new Problem(404, 'No such crew', 'The run has no crew of this kind. Reload the page and try again.');
    if (workload.curve.kind === 'arrivals')
      throw new Problem(
        409,
        'Users come by themselves',
        'With arrivals iterations start at a rate. Change the rate in the workload for the next run.',
      );
    if (state !== 'running') throw new Problem(409, 'The run is not running', 'Users can be changed while the run is running.');
    if (users === before) return;
    const [plan] = this.planned.plans;
    const crews = workload.crews.map(({ id, scriptId }) => ({ scriptId, users: id === crewId ? users : (this.#crews.sizeOf(id) ?? 0) }));
    const tooMany = plan ? usersProblem(plan.environment, crews, this.planned.scripts) : null;
    if (tooMany !== null) throw new Problem(422, 'More users than are cleared', tooMany);
    for (const { generator, come, go } of this.#crews.resize(crewId, users, this.#generators.playing))
      this.#generators.send(generator, { kind: 'users', crew: crewId, come, go });
    this.#tell({ kind: 'users', text: `${crew.name}: ${before} → ${users} users`, crew: crewId, users });
  }

  /** Passes over what is left of the phase of the curve that is played. Throws a problem where it is the last one. */
  nextPhase(): void {
    const { workload, state } = this.#run;
    if (state !== 'running' || this.#paused)
      throw new Problem(409, 'The run is not running', 'The next phase can begin while the run is running and not paused.');
    const nowSeconds = (performance.now() - this.#startedMs) / 1000 + this.#skippedSeconds;
    const phases = phasesOf(workload);
    const at = phases.findIndex(({ endSeconds }) => nowSeconds < endSeconds);
    const [phase, next] = [phases[at], phases[at + 1]];
    if (!phase || !next) throw new Problem(409, 'It is the last phase', 'No phase comes after this one. Finish the run to end it early.');
    const skippedSeconds = phase.endSeconds - nowSeconds;
    this.#skippedSeconds += skippedSeconds;
    this.#generators.toAll({ kind: 'skip', seconds: skippedSeconds });
    this.#tell({ kind: 'phase', text: `${phase.name} cut short, ${next.name} begins`, skippedSeconds });
  }

  /** Tells each request of a user from now on, and captures it in full where that is wanted; who is captured stays so. */
  watch(user: number, captures: boolean): void {
    const watched = this.#watched;
    if (captures && watched.get(user) !== true) this.#tell({ kind: 'note', text: `user ${user} is captured in full` });
    watched.set(user, captures || watched.get(user) === true);
    // Who was looked at before somebody else is forgotten, but not what is captured.
    const onlySeen = [...watched].flatMap(([seen, isCaptured]) => (isCaptured ? [] : [seen]));
    for (const seen of onlySeen.slice(0, Math.max(0, onlySeen.length - mostWatched))) watched.delete(seen);
    this.#generators.toAll({ kind: 'watch', users: [...watched].map(([seen, isCaptured]) => ({ user: seen, captures: isCaptured })) });
  }

  /** Puts a note on the time axis. */
  note(text: string): void {
    this.#tell({ kind: 'note', text });
  }

  /** Stops at once: open requests are dropped, leased rows stay spent. */
  async abort(note = 'It was aborted by hand.'): Promise<void> {
    // Nobody plays any more; what cannot be stored is not waited for any longer.
    if (this.#end) this.#ledger.giveUp();
    this.#aborting = true;
    await this.#generators.abort();
    await this.#endAs('aborted', note);
  }

  /** Aborts because the server stops: what cannot be stored is given up. */
  async stop(): Promise<void> {
    this.#ledger.giveUp();
    await this.abort('The server was stopped.');
  }

  /** Keeps what happened, and shows it. */
  #tell(event: Omit<RunEvent, 'second'>): void {
    const second = Math.max(0, Math.floor((performance.now() - this.#startedMs) / 1000));
    this.#run = { ...this.#run, events: [...(this.#run.events ?? []), { second, ...event }] };
    this.#save();
  }

  #save(): void {
    this.#ledger.run(this.#run);
    this.ground.live.tell(this.#run.id, 'run', this.#run);
  }

  #receive(generator: number, message: FromGenerator): void {
    if (this.#end) return;
    switch (message.kind) {
      case 'came': {
        const who = this.#meetings.come(message.step, message.who, Math.min(message.users, this.#crews.count));
        if (who.length > 0) this.#generators.toAll({ kind: 'go', who });
        return;
      }
      case 'left':
        this.#meetings.leave(message.step, message.who);
        return;
      case 'lease':
        void this.#rows.lease(message.table, message.count).then(
          (rows) => {
            this.#generators.send(generator, rows);
          },
          (error: unknown) => this.#endAs('failed', error instanceof Error ? error.message : 'Rows could not be leased.'),
        );
        return;
      case 'unused':
        this.#ledger.other(() => this.#rows.unused(message.table, message.rows));
        return;
      case 'frame':
        this.#ledger.frame(message.frame);
        for (const user of message.frame.users) this.#users.set(user.user, user);
        this.#seconds.add(message.frame);
        return;
      case 'samples':
        this.ground.samples?.keep(this.#run.id, message.batch, (problem) => {
          this.#tell({ kind: 'note', text: problem });
        });
        return;
      case 'log': {
        const captured = message.entries.filter(({ exchange }) => exchange !== null);
        if (captured.length > 0) this.ground.samples?.capture(this.#run.id, captured);
        const entries = message.entries.map((entry) => ({ ...entry, exchange: null }));
        this.ground.live.tell(this.#run.id, 'log', entries);
        return;
      }
      case 'held-back':
        this.#reachCeiling(message.origin);
        return;
      case 'end-run':
        if (this.#run.state !== 'finishing') this.finish(message.reason);
        return;
      case 'ended':
        this.#generators.end(generator);
        this.#seconds.settle();
        this.#afterLast();
    }
  }

  /** Requests to a target wait for its ceiling; it is told when that begins. */
  #reachCeiling(origin: string): void {
    if (this.#run.events?.some((event) => event.kind === 'ceiling' && event.origin === origin)) return;
    this.#tell({ kind: 'ceiling', text: `requests to ${origin} wait for its ceiling`, origin });
  }

  /** The run is over once no generator plays any more. */
  #afterLast(): void {
    if (this.#generators.playing.length > 0 || this.#aborting) return;
    const lost = [...this.#lost.values()];
    if (lost.length === this.planned.plans.length) void this.#endAs('failed', lost.at(-1) ?? null);
    else void this.#endAs('done', this.#run.note);
  }

  #begin(): void {
    const { id, workload, watches = [] } = this.#run;
    const { atMs, generators } = this.#generators.begin();
    this.#startedMs = atMs;
    this.#run = { ...this.#run, state: 'running', startedAt: new Date().toISOString(), generators };
    this.#save();
    this.#hosts = new HostWatcher(watches, this.planned.reach, atMs, (point) => {
      this.#ledger.host(point);
      this.ground.live.tell(id, 'host', point);
    });
    if (workload.limitSeconds !== undefined)
      this.#limit = setTimeout(() => {
        if (this.#run.state === 'running') this.finish('Its time limit was reached.');
      }, workload.limitSeconds * 1000);
  }

  /** A generator died. Before the run has begun that ends it; later the others go on, and take over its users where the workload says so. */
  #lose(generator: number, why: string): void {
    if (this.#end) return;
    if (this.#run.state === 'starting') {
      void this.#endAs('failed', why);
      return;
    }
    this.#lost.set(generator, why);
    this.#meetings.forget((who) => who.startsWith(`${generator}:`));
    const generators = (this.#run.generators ?? []).map((known) => (known.generator === generator ? { ...known, lost: why } : known));
    this.#run = { ...this.#run, generators };
    const alive = this.#generators.playing;
    const { workload, state } = this.#run;
    const takesOver = workload.takesOver === true && state === 'running' && alive.length > 0;
    const users = takesOver ? this.#handOver(generator, alive) : this.#crews.drop(generator);
    this.#tell({
      kind: 'lost',
      text: `generator ${generator + 1} was lost with ${users === 1 ? 'its user' : `its ${users} users`}${takesOver ? ', taken over by the others' : ''}`,
    });
    this.#seconds.settle();
    this.#afterLast();
  }

  /** Gives the users of a lost generator to others. Returns how many these were. */
  #handOver(generator: number, alive: readonly number[]): number {
    // Arrivals of one share are played by one generator, with all the users that it takes.
    const heirs = this.#run.workload.curve.kind === 'arrivals' ? alive.slice(0, 1) : alive;
    let users = 0;
    for (const { crew, heir, come } of this.#crews.handOver(generator, heirs)) {
      users += come.length;
      const withIterations = come.map(({ place, user }) => ({ place, user, iteration: this.#users.get(user)?.iteration ?? 0 }));
      this.#generators.send(heir, { kind: 'users', crew, come: withIterations, go: [], share: generator });
    }
    return users;
  }

  #showSecond({ second, frames, fresh, isFirst }: LiveSecondFrames): void {
    // What comes late stops nothing any more: the rule was to act while it was so.
    const fired = isFirst && this.#run.state === 'running' ? this.#rules.second(frames) : null;
    if (fired !== null) {
      this.#run = { ...this.#run, stoppedByRule: true };
      this.finish(fired);
    }
    this.ground.live.tell(
      this.#run.id,
      'second',
      {
        point: lanePoint(second, frames),
        // Who comes to look on may have missed a change, so all are told of now and then.
        users: this.#users.size <= toldAlways || second % 10 === 0 ? this.users : fresh.flatMap(({ users }) => users),
        failures: fresh.flatMap(({ failures }) => failures).map((failure) => ({ ...failure, example: null })),
        iterationsPassed: fresh.reduce((sum, { iterationsPassed }) => sum + iterationsPassed, 0),
        iterationsFailed: fresh.reduce((sum, { iterationsFailed }) => sum + iterationsFailed, 0),
      },
      keptSeconds,
    );
  }

  #endAs(state: Run['state'], note: string | null): Promise<void> {
    return (this.#end ??= this.#close(state, note));
  }

  async #close(state: Run['state'], note: string | null): Promise<void> {
    clearTimeout(this.#deadline);
    if (this.#limit) clearTimeout(this.#limit);
    this.#hosts?.end();
    const { store, compute, live, samples } = this.ground;
    const endedAt = new Date().toISOString();
    await samples?.end(this.#run.id);
    await this.#generators.close();
    this.#ledger.other(() => this.#rows.ended());
    // Until all is stored the run is live: its verdict is to rest on all that was measured.
    const missing = await this.#ledger.flushed();
    const ended: Run = { ...this.#run, state, note, endedAt };
    try {
      if (missing > 0) throw new Error(`${missing.toLocaleString('en')} entries are missing`);
      const result = await compute.runResult(
        ended,
        await store.frames(ended.id),
        this.planned.scripts,
        hostSeries(ended.watches ?? [], await store.hostPoints(ended.id)),
      );
      const criteria = [...result.criteria, ...result.hostCriteria];
      const judged = criteria.length > 0 && state === 'done';
      const holds = criteria.every(({ held }) => held);
      this.#run = { ...ended, verdict: ended.stoppedByRule ? 'missed' : judged ? (holds ? 'held' : 'missed') : 'none' };
      this.#ledger.run(this.#run);
      await this.#ledger.flushed();
    } catch (error) {
      // No verdict rests on a part of the figures. The next start closes the run with what was stored of it.
      this.#run = {
        ...ended,
        state: 'failed',
        note: `Its figures could not all be stored: ${error instanceof Error ? error.message : 'unknown reason'}`,
      };
    } finally {
      this.onEnd();
    }
    live.tell(this.#run.id, 'run', this.#run);
  }
}
