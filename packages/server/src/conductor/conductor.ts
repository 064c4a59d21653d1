import { randomUUID } from 'node:crypto';
import {
  curveSeconds,
  lanePoint,
  phasesOf,
  StopWatch,
  type Environment,
  type Frame,
  type Run,
  type RunEvent,
  type RunGenerator,
  type Script,
  type UserState,
  type Watch,
  type Workload,
} from '@sturdy/core';
import { MeetingPoints, type FromGenerator, type Plan, type ToGenerator } from '@sturdy/engine';
import type { Compute } from '../compute/tasks.js';
import type { LiveHub } from '../live/live-hub.js';
import { HostWatcher } from '../hosts/host-reader.js';
import { Problem } from '../problem/problem.js';
import type { SampleFiles } from '../samples/sample-files.js';
import { ClockBook } from './clock-book.js';
import { planRun } from './plan-run.js';
import { RowDealer } from '../rows/row-dealer.js';
import { RunLedger } from './run-ledger.js';
import type { RunStore } from './run-store.js';
import type { GeneratorLink, Transport } from './transport.js';

/** ms between the last word to the generators and the moment at which all of them begin. */
const leadMs = 20;

/** Who opens a run reads what is stored, and listens then; what is told in between is kept for so many seconds. */
const keptSeconds = 10;

/** Up to so many users all are told of each second, whether they changed or not. */
const toldAlways = 500;

/** Users that are watched at a time, beside those that are captured: one for each browser that looks on. */
const mostWatched = 5;

const nowMs = (): number => performance.timeOrigin + performance.now();

/** A user of a crew, and the generator that plays it. */
interface PlayedUser {
  place: number;
  user: number;
  generator: number;
}

/** Grace after the planned end before a run is aborted, in seconds: every load loop is bounded. */
const graceSeconds = 120;

interface Playing {
  run: Run;
  scripts: Script[];
  links: GeneratorLink[];
  /** What is known of the clocks of those that are ready. */
  clocks: ClockBook;
  /** Generators that play no more: they came to their end, or were lost. */
  ended: Set<number>;
  lost: Map<number, string>;
  meetings: MeetingPoints;
  /** What each user did last. */
  users: Map<number, UserState>;
  /** Seconds of the curve that were passed over. */
  skippedSeconds: number;
  /** Users whose requests are told one by one, and whether they are captured in full. */
  watched: Map<number, boolean>;
  /** Frames by second, until all generators have sent theirs. */
  frames: Map<number, Frame[]>;
  ledger: RunLedger;
  deadline: NodeJS.Timeout;
  /** Set once the run is being aborted, so that generators that end then do not close it as done. */
  aborting: boolean;
  /** The end of the run: nobody plays any more, and figures are still being stored; null before. */
  end: Promise<void> | null;
  rules: StopWatch;
  /** Ends the run after its time limit, however far its curve is. */
  limit: NodeJS.Timeout | null;
  limitMs: number;
  hosts: HostWatcher | null;
  /** When it began to play, on the clock of this process. */
  startedMs: number;
  paused: boolean;
  /** Users of each crew that are to be there now, and the highest number that any user has. */
  crews: Map<string, PlayedUser[]>;
  highestUser: number;
  /** By table. */
  dealers: Map<string, RowDealer>;
}

/** Splits a workload over generators, leases rows, stores frames as they come, and closes the run. */
export class Conductor {
  readonly #playing = new Map<string, Playing>();

  constructor(
    readonly store: RunStore,
    readonly compute: Pick<Compute, 'runResult'>,
    readonly live: Pick<LiveHub, 'tell'>,
    readonly transport: Transport,
    /** Where each request of a run is kept; absent where nobody will ask for one. */
    readonly samples: Pick<SampleFiles, 'keep' | 'capture' | 'end'> | null = null,
  ) {}

  get current(): Run | null {
    return [...this.#playing.values()][0]?.run ?? null;
  }

  /** What each user of a live run does; none where the run is not live. */
  users(runId: string): UserState[] {
    return [...(this.#playing.get(runId)?.users.values() ?? [])];
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
    const { scripts, plans, tables } = await planRun(this.store, workload, environment, this.samples !== null, shownSigns);
    const before = await this.store.runs(workload.projectId);
    const run: Run = {
      id: randomUUID(),
      projectId: workload.projectId,
      number: (before[0]?.number ?? 0) + 1,
      workload,
      environmentId: environment.id,
      state: 'starting',
      startedAt: new Date().toISOString(),
      endedAt: null,
      note: null,
      verdict: 'none',
      watches: [...watches],
    };
    await this.store.saveRun(run);
    const limitMs = (curveSeconds(workload) + graceSeconds) * 1000;
    const endsMs = (workload.limitSeconds ?? Infinity) * 1000;
    const playing: Playing = {
      run,
      scripts,
      links: [],
      clocks: new ClockBook(),
      ended: new Set(),
      lost: new Map(),
      meetings: new MeetingPoints(),
      users: new Map(),
      skippedSeconds: 0,
      watched: new Map(),
      frames: new Map(),
      ledger: new RunLedger(run.id, this.store, (text) => {
        this.#tell(playing, { kind: 'note', text });
      }),
      deadline: setTimeout(
        () => void this.abort(run.id, 'The run was still going long after its planned end, so it was aborted.'),
        limitMs,
      ),
      aborting: false,
      end: null,
      rules: new StopWatch(workload.stopRules ?? []),
      limit: null,
      limitMs: endsMs,
      hosts: null,
      startedMs: performance.now(),
      paused: false,
      crews: new Map(
        workload.crews.map(({ id }) => [
          id,
          plans.flatMap((plan) =>
            plan.crews
              .filter((one) => one.crew.id === id)
              .flatMap((one) => one.users.map((user) => ({ ...user, generator: plan.generator }))),
          ),
        ]),
      ),
      highestUser: workload.crews.reduce((sum, one) => sum + one.users, 0),
      dealers: new Map(tables.map((one) => [one.id, new RowDealer(this.store, one, `run ${run.number}`, workload.seed)])),
    };
    this.#playing.set(run.id, playing);
    plans.forEach((plan, index) => {
      const link = this.transport.open(index, (message) => {
        this.#receive(playing, index, message);
      });
      playing.links.push(link);
      link.send({ kind: 'plan', plan: { ...plan, runId: run.id } });
    });
    return run;
  }

  /** Lets users finish what they are at, as the workload says, then ends the run. */
  finish(runId: string, note: string | null = null): void {
    const playing = this.#need(runId);
    playing.run = { ...playing.run, state: 'finishing', note: note ?? playing.run.note };
    this.#toAll(playing, { kind: 'finish' });
    this.#tell(playing, { kind: 'end', text: note ?? 'finished' });
  }

  /** Lets nobody begin an iteration until the run goes on. */
  pause(runId: string): void {
    const playing = this.#need(runId);
    if (playing.run.state !== 'running' || playing.paused) return;
    playing.paused = true;
    this.#toAll(playing, { kind: 'pause' });
    this.#tell(playing, { kind: 'pause', text: 'paused' });
  }

  resume(runId: string): void {
    const playing = this.#need(runId);
    if (!playing.paused) return;
    playing.paused = false;
    this.#toAll(playing, { kind: 'resume' });
    this.#tell(playing, { kind: 'resume', text: 'went on' });
  }

  /** Lets users come to a crew, or go home after their iteration, until it has so many. Throws a problem where that cannot be. */
  changeUsers(runId: string, crewId: string, users: number): void {
    const playing = this.#need(runId);
    const { workload, state } = playing.run;
    const crew = workload.crews.find((one) => one.id === crewId);
    const own = playing.crews.get(crewId);
    if (!crew || !own) throw new Problem(404, 'No such crew', 'The run has no crew of this kind. Reload the page and try again.');
    if (workload.curve.kind === 'arrivals')
      throw new Problem(
        409,
        'Users come by themselves',
        'With arrivals iterations start at a rate. Change the rate in the workload for the next run.',
      );
    if (state !== 'running') throw new Problem(409, 'The run is not running', 'Users can be changed while the run is running.');
    if (users === own.length) return;
    const places = own.reduce((most, one) => Math.max(most, one.place + 1), 0);
    const alive = this.#alive(playing);
    const come = Array.from({ length: Math.max(0, users - own.length) }, (_, n): PlayedUser => {
      const user = ++playing.highestUser;
      return { place: places + n, user, generator: alive[user % alive.length] ?? 0 };
    });
    // Those that came last go first.
    const go = own.slice(users);
    for (const generator of alive) {
      const isOwn = (one: PlayedUser) => one.generator === generator;
      playing.links[generator]?.send({
        kind: 'users',
        crew: crewId,
        come: come.filter(isOwn).map(({ place, user }) => ({ place, user })),
        go: go.filter(isOwn).map(({ user }) => user),
      });
    }
    this.#tell(playing, { kind: 'users', text: `${crew.name}: ${own.length} → ${users} users`, crew: crewId, users });
    playing.crews.set(crewId, [...own.slice(0, users), ...come]);
  }

  /** Passes over what is left of the phase of the curve that is played. Throws a problem where it is the last one. */
  nextPhase(runId: string): void {
    const playing = this.#need(runId);
    const { workload, state } = playing.run;
    if (state !== 'running' || playing.paused)
      throw new Problem(409, 'The run is not running', 'The next phase can begin while the run is running and not paused.');
    const nowSeconds = (performance.now() - playing.startedMs) / 1000 + playing.skippedSeconds;
    const phases = phasesOf(workload);
    const at = phases.findIndex((one) => nowSeconds < one.endSeconds);
    const [own, next] = [phases[at], phases[at + 1]];
    if (!own || !next)
      throw new Problem(409, 'It is the last phase', 'No phase comes after this one. Finish the run to let its users go home.');
    const skippedSeconds = own.endSeconds - nowSeconds;
    playing.skippedSeconds += skippedSeconds;
    this.#toAll(playing, { kind: 'skip', seconds: skippedSeconds });
    this.#tell(playing, { kind: 'phase', text: `${own.name} cut short, ${next.name} begins`, skippedSeconds });
  }

  /** Tells each request of a user from now on, and captures it in full where that is wanted; who is captured stays so. */
  watch(runId: string, user: number, captures: boolean): void {
    const playing = this.#need(runId);
    const { watched } = playing;
    if (captures && watched.get(user) !== true) this.#tell(playing, { kind: 'note', text: `user ${user} is captured in full` });
    watched.set(user, captures || watched.get(user) === true);
    // Who was looked at before somebody else is forgotten, but not what is captured.
    const onlySeen = [...watched].filter(([, own]) => !own).map(([one]) => one);
    for (const one of onlySeen.slice(0, Math.max(0, onlySeen.length - mostWatched))) watched.delete(one);
    this.#toAll(playing, { kind: 'watch', users: [...watched].map(([one, own]) => ({ user: one, captures: own })) });
  }

  /** Puts a note on the time axis. */
  note(runId: string, text: string): void {
    this.#tell(this.#need(runId), { kind: 'note', text: text });
  }

  /** Keeps what happened, and shows it. */
  #tell(playing: Playing, event: Omit<RunEvent, 'second'>): void {
    const second = Math.max(0, Math.floor((performance.now() - playing.startedMs) / 1000));
    playing.run = { ...playing.run, events: [...(playing.run.events ?? []), { second, ...event }] };
    this.#save(playing);
  }

  /** Stops at once: open requests are dropped, leased rows stay spent. */
  async abort(runId: string, note = 'It was aborted by hand.'): Promise<void> {
    const playing = this.#need(runId);
    // Nobody plays any more; what cannot be stored is not waited for any longer.
    if (playing.end) playing.ledger.giveUp();
    playing.aborting = true;
    this.#toAll(playing, { kind: 'abort' });
    await new Promise((done) => setTimeout(done, 300));
    await this.#end(playing, 'aborted', note);
  }

  async close(): Promise<void> {
    for (const { run, ledger } of [...this.#playing.values()]) {
      ledger.giveUp();
      await this.abort(run.id, 'The server was stopped.');
    }
  }

  /** Generators that still play. */
  #alive({ links, ended }: Playing): number[] {
    return links.map((_, generator) => generator).filter((one) => !ended.has(one));
  }

  #toAll(playing: Playing, message: ToGenerator): void {
    for (const generator of this.#alive(playing)) playing.links[generator]?.send(message);
  }

  #need(runId: string): Playing {
    const playing = this.#playing.get(runId);
    if (!playing) throw new Problem(409, 'The run has ended', 'This run is not live any more. Open its page to see its figures.');
    return playing;
  }

  #dealer(playing: Playing, table: string): RowDealer {
    const dealer = playing.dealers.get(table);
    if (!dealer) throw new Error(`The run deals no rows of the table ${table}.`);
    return dealer;
  }

  #receive(playing: Playing, generator: number, message: FromGenerator): void {
    if (playing.end || !this.#playing.has(playing.run.id)) return;
    switch (message.kind) {
      case 'ready':
        playing.links[generator]?.send({ kind: 'clock', sentMs: nowMs() });
        return;
      case 'clock':
        if (!playing.clocks.read(generator, message, nowMs())) playing.links[generator]?.send({ kind: 'clock', sentMs: nowMs() });
        else if (playing.clocks.known === playing.links.length) this.#begin(playing);
        return;
      case 'came': {
        const users = [...playing.crews.values()].reduce((sum, one) => sum + one.length, 0);
        const who = playing.meetings.come(message.step, message.who, Math.min(message.users, users));
        if (who.length > 0) this.#toAll(playing, { kind: 'go', who });
        return;
      }
      case 'left':
        playing.meetings.leave(message.step, message.who);
        return;
      case 'lease':
        // The lease is written before the rows leave, so a row that might have been used counts as spent.
        void this.#dealer(playing, message.table)
          .lease(message.count)
          .then(
            (rows) => playing.links[generator]?.send({ kind: 'rows', table: message.table, rows }),
            (error: unknown) =>
              this.#end(playing, 'failed', `Rows could not be leased: ${error instanceof Error ? error.message : 'unknown reason'}`),
          );
        return;
      case 'unused':
        playing.ledger.other(async () => {
          await this.#dealer(playing, message.table).unused(message.rows);
        });
        return;
      case 'frame':
        this.#frame(playing, message.frame);
        return;
      case 'samples':
        this.samples?.keep(playing.run.id, message.batch, (problem) => {
          this.#tell(playing, { kind: 'note', text: problem });
        });
        return;
      case 'log': {
        const captured = message.entries.filter((one) => one.exchange !== null);
        if (captured.length > 0) this.samples?.capture(playing.run.id, captured);
        this.live.tell(
          playing.run.id,
          'log',
          message.entries.map((one) => ({ ...one, exchange: null })),
        );
        return;
      }
      case 'end-run':
        if (playing.run.state !== 'finishing') this.finish(playing.run.id, message.reason);
        return;
      case 'ended':
        playing.ended.add(generator);
        this.#afterLast(playing);
        return;
      case 'fault':
        this.#lose(playing, generator, message.message);
    }
  }

  /** The run is over once no generator plays any more. */
  #afterLast(playing: Playing): void {
    if (playing.ended.size < playing.links.length || playing.aborting) return;
    const lost = [...playing.lost.values()];
    if (lost.length === playing.links.length) void this.#end(playing, 'failed', lost.at(-1) ?? null);
    else void this.#end(playing, 'done', playing.run.note);
  }

  #begin(playing: Playing): void {
    const generators = playing.links.map((_, generator): RunGenerator => ({ generator, ...playing.clocks.of(generator), lost: null }));
    playing.run = { ...playing.run, state: 'running', startedAt: new Date().toISOString(), generators };
    this.#save(playing);
    const atMs = nowMs() + leadMs;
    playing.startedMs = atMs - performance.timeOrigin;
    for (const { generator, offsetMs } of generators) playing.links[generator]?.send({ kind: 'start', atMs: atMs + offsetMs });
    this.#watch(playing);
    if (Number.isFinite(playing.limitMs))
      playing.limit = setTimeout(() => {
        if (playing.run.state === 'running') this.finish(playing.run.id, 'Its time limit was reached.');
      }, playing.limitMs);
  }

  /** A generator died. Before the run has begun that ends it; later the others go on, and take over its users where the workload says so. */
  #lose(playing: Playing, generator: number, why: string): void {
    if (playing.ended.has(generator)) return;
    if (playing.run.state === 'starting') {
      void this.#end(playing, 'failed', why);
      return;
    }
    playing.ended.add(generator);
    playing.lost.set(generator, why);
    void playing.links[generator]?.close();
    playing.meetings.forget((who) => who.startsWith(`${generator}:`));
    const generators = (playing.run.generators ?? []).map((one) => (one.generator === generator ? { ...one, lost: why } : one));
    playing.run = { ...playing.run, generators };
    const alive = this.#alive(playing);
    const takesOver = playing.run.workload.takesOver === true && playing.run.state === 'running' && alive.length > 0;
    let users = 0;
    for (const [id, own] of playing.crews) {
      const missing = own.filter((one) => one.generator === generator);
      users += missing.length;
      if (!takesOver) {
        playing.crews.set(
          id,
          own.filter((one) => one.generator !== generator),
        );
        continue;
      }
      // Arrivals of one share are played by one generator, with all the users that it takes.
      const heirs = playing.run.workload.curve.kind === 'arrivals' ? alive.slice(0, 1) : alive;
      missing.forEach((one, at) => (one.generator = heirs[at % heirs.length] ?? 0));
      for (const other of heirs) {
        const come = missing
          .filter((one) => one.generator === other)
          .map(({ place, user }) => ({ place, user, iteration: playing.users.get(user)?.iteration ?? 0 }));
        playing.links[other]?.send({ kind: 'users', crew: id, come, go: [], share: generator });
      }
    }
    this.#tell(playing, {
      kind: 'lost',
      text: `generator ${generator + 1} was lost with ${users === 1 ? 'its user' : `its ${users} users`}${takesOver ? ', taken over by the others' : ''}`,
    });
    for (const second of [...playing.frames.keys()].sort((left, right) => left - right)) this.#told(playing, second);
    this.#afterLast(playing);
  }

  #frame(playing: Playing, frame: Frame): void {
    playing.ledger.frame(frame);
    for (const one of frame.users) playing.users.set(one.user, one);
    playing.frames.set(frame.second, [...(playing.frames.get(frame.second) ?? []), frame]);
    this.#told(playing, frame.second);
  }

  /** Shows a second, once all that still play have told of it. */
  #told(playing: Playing, second: number): void {
    const own = playing.frames.get(second) ?? [];
    if (!this.#alive(playing).every((generator) => own.some((one) => one.generator === generator))) return;
    playing.frames.delete(second);
    const fired = playing.run.state === 'running' ? playing.rules.second(own) : null;
    if (fired !== null) {
      playing.run = { ...playing.run, stoppedByRule: true };
      this.finish(playing.run.id, fired);
    }
    this.live.tell(
      playing.run.id,
      'second',
      {
        point: lanePoint(second, own),
        // Who comes to look on may have missed a change, so all are told of now and then.
        users: playing.users.size <= toldAlways || second % 10 === 0 ? [...playing.users.values()] : own.flatMap((one) => one.users),
        failures: own.flatMap((one) => one.failures).map(({ example: _example, ...failure }) => failure),
        iterationsPassed: own.reduce((sum, one) => sum + one.iterationsPassed, 0),
        iterationsFailed: own.reduce((sum, one) => sum + one.iterationsFailed, 0),
      },
      keptSeconds,
    );
  }

  #watch(playing: Playing): void {
    const { id, watches = [] } = playing.run;
    playing.hosts = new HostWatcher(watches, (point) => {
      playing.ledger.host(point);
      this.live.tell(id, 'host', point);
    });
  }

  #save(playing: Playing): void {
    const { run } = playing;
    playing.ledger.run(run);
    this.live.tell(run.id, 'run', run);
  }

  #end(playing: Playing, state: Run['state'], note: string | null): Promise<void> {
    return (playing.end ??= this.#close(playing, state, note));
  }

  async #close(playing: Playing, state: Run['state'], note: string | null): Promise<void> {
    clearTimeout(playing.deadline);
    if (playing.limit) clearTimeout(playing.limit);
    playing.hosts?.end();
    const endedAt = new Date().toISOString();
    await this.samples?.end(playing.run.id);
    await Promise.all(playing.links.map((link) => link.close()));
    for (const dealer of playing.dealers.values()) playing.ledger.other(() => dealer.ended());
    // Until all is stored the run is live: its verdict is to rest on all that was measured.
    const missing = await playing.ledger.flushed();
    const ended: Run = { ...playing.run, state, note, endedAt };
    let run = ended;
    try {
      if (missing > 0) throw new Error(`${missing.toLocaleString('en')} entries are missing`);
      const result = await this.compute.runResult(ended, await this.store.frames(ended.id), playing.scripts);
      const judged = result.criteria.length > 0 && state === 'done';
      const holds = result.criteria.every((one) => one.held);
      run = { ...ended, verdict: ended.stoppedByRule ? 'missed' : judged ? (holds ? 'held' : 'missed') : 'none' };
      playing.ledger.run(run);
      await playing.ledger.flushed();
    } catch (error) {
      // No verdict rests on a part of the figures. The next start closes the run with what was stored of it.
      run = {
        ...ended,
        state: 'failed',
        note: `Its figures could not all be stored: ${error instanceof Error ? error.message : 'unknown reason'}`,
      };
    } finally {
      this.#playing.delete(run.id);
    }
    this.live.tell(run.id, 'run', run);
  }
}
