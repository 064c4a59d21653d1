import { arrivalTimes, nextDueMs, SampleBook, spansOf, userSpans, type Crew, type Frame, type UserState } from '@sturdy/core';
import seedrandom from 'seedrandom';
import { driverSource } from '../drivers/kinds.js';
import type { Control, Observer, Row, Rows } from '../play/virtual-user.js';
import { compile, type Program } from '../program/compile.js';
import type { FromGenerator, Plan, ToGenerator } from './messages.js';
import { Meetings } from './meetings.js';
import { Meter } from './meter.js';
import { Reporter } from './reporter.js';
import { RowDeals } from './row-deals.js';
import { hasChanged, makeSeat, type EmptySeat, type Seat, type Seating } from './seat.js';
import { codeThreads } from '../sandbox/code-threads.js';
import { SelfWatch } from './self-watch.js';
import { Schedule } from './schedule.js';

/** Plays the virtual users of one plan and sends a frame each second. Knows its transport only by `send`. */
export class Generator {
  #plan: Plan | null = null;
  #seats: Seat[] = [];
  readonly #schedule = new Schedule();
  readonly #meter = new Meter(() => this.#schedule.second());
  readonly #reporter = new Reporter(this.#meter, this.#schedule, () => this.#samples);
  #samples: SampleBook | null = null;
  #rows: RowDeals | null = null;
  #flushed = 0;
  #finishing = false;
  /** Set while the run is paused; resolves when it goes on. */
  #paused: { on: Promise<void>; goOn: () => void } | null = null;
  readonly #programs = new Map<string, Program>();
  #makeSeat: ((seating: Seating) => Seat) | null = null;
  /** Users that are playing; the run is over when the last one has ended. */
  readonly #open = new Set<Promise<void>>();
  #aborted = false;
  #timer: NodeJS.Timeout | null = null;
  #meetings: Meetings | null = null;
  readonly #self = new SelfWatch();

  constructor(readonly send: (message: FromGenerator) => void) {}

  /** Takes in a message of the conductor. */
  receive(message: ToGenerator): void {
    switch (message.kind) {
      case 'plan':
        this.#prepare(message.plan);
        this.send({ kind: 'ready' });
        break;
      case 'clock':
        this.send({ kind: 'clock', sentMs: message.sentMs, ownMs: performance.timeOrigin + performance.now() });
        break;
      case 'start':
        void this.#start(message.atMs);
        break;
      case 'go':
        this.#meetings?.go(message.who);
        break;
      case 'watch':
        this.#reporter.watched = new Map(message.users.map((one) => [one.user, one.captures]));
        break;
      case 'skip':
        this.#schedule.skip(message.seconds);
        for (const seat of this.#seats) seat.wake?.();
        break;
      case 'rows':
        this.#rows?.arrive(message.table, message.rows);
        break;
      case 'pause': {
        if (this.#paused) break;
        let goOn: () => void = () => undefined;
        const on = new Promise<void>((done) => {
          goOn = done;
        });
        this.#paused = { on, goOn };
        break;
      }
      case 'resume':
        this.#goOn();
        break;
      case 'users':
        this.#changeUsers(message);
        break;
      case 'finish':
        this.#finishing = true;
        this.#goOn();
        this.#wakeAll();
        break;
      case 'abort':
        this.#finishing = true;
        this.#aborted = true;
        this.#goOn();
        this.#wakeAll();
        for (const seat of this.#seats) void seat.user.close();
        break;
    }
  }

  #ending(): boolean {
    return this.#finishing;
  }

  #prepare(plan: Plan): void {
    this.#plan = plan;
    this.#samples = plan.samples ? new SampleBook() : null;
    const meetings = new Meetings(
      String(plan.generator),
      (step, who, users) => {
        this.send({ kind: 'came', step, who, users });
      },
      (step, who) => {
        this.send({ kind: 'left', step, who });
      },
    );
    this.#meetings = meetings;
    const files = new Map(Object.entries(plan.files).map(([hash, text]) => [hash, Buffer.from(text, 'base64')]));
    const driversFor = driverSource(plan.environment);
    const dealtPerUse = new Set(plan.tables.filter((one) => one.deal.when === 'use').map((one) => one.table));
    const rows = new RowDeals(plan, this.send, (crew, table) => {
      this.#meter.dealt(crew, table);
    });
    this.#rows = rows;
    const seatFor = (seating: Seating): Seat =>
      makeSeat(seating, plan.seed, driversFor, (seat) => ({
        observer: this.#observerOf(seat),
        control: this.#controlOf(seat, plan, rows, meetings),
      }));
    this.#makeSeat = seatFor;
    for (const { crew, users } of plan.crews) {
      const script = plan.scripts.find((one) => one.id === crew.scriptId);
      if (!script) throw new Error(`The crew “${crew.name}” plays a script that the plan does not hold.`);
      const program = compile(script, plan.environment, {
        ...(crew.timeouts && { timeouts: crew.timeouts }),
        think: crew.think,
        readFile: (hash) => files.get(hash),
        dealtPerUse,
        filesSideBySide: crew.browser?.filesSideBySide ?? false,
        shownSigns: plan.shownSigns?.[script.id],
      });
      if (program.usesCode) codeThreads.warmUp();
      this.#programs.set(crew.id, program);
      for (const { place, user } of users) this.#seats.push(seatFor({ crew, program, place, user }));
    }
  }

  #observerOf(seat: EmptySeat): Observer {
    const { crew, state } = seat;
    return {
      beforeStep: (step) => {
        state.state = 'working';
        state.step = step;
      },
      step: (played) => {
        if (!seat.cut && !this.#aborted) this.#reporter.played(crew, state, played);
      },
      failed: ({ transaction, step, failure }) => {
        if (!seat.cut && !this.#aborted) this.#reporter.failed(crew, state, transaction, step, failure);
      },
      transaction: (name, busyMs, good, traffic) => {
        if (!seat.cut) this.#meter.sample(crew.id, name, null, busyMs, good, traffic);
      },
    };
  }

  #controlOf(seat: EmptySeat, plan: Plan, rows: RowDeals, meetings: Meetings): Control {
    const { crew, state } = seat;
    return {
      stopsNow: () =>
        this.#aborted ||
        seat.cut ||
        (plan.curve.atEnd === 'step' && (this.#finishing || performance.now() >= this.#schedule.at(seat.endSeconds))),
      pause: async (ms) => {
        state.state = 'thinking';
        await this.#schedule.pause(ms);
      },
      meet: (step, count, atMostMs) => {
        state.state = 'waiting';
        return meetings.meet(step, count, atMostMs);
      },
      wantsBodies: () => this.#reporter.watched.get(state.user) ?? false,
      deal: (table) => rows.next(table, crew, state),
      listed: (table) => rows.listed(table),
      // The system under test remembers ids of earlier runs, so a run that is repeated must not send them again.
      fresh: seedrandom(`${plan.seed}:${plan.runId}:${state.user}`),
    };
  }

  async #start(atMs: number): Promise<void> {
    const plan = this.#plan;
    if (!plan) return;
    this.#schedule.begin(atMs - performance.timeOrigin);
    this.#self.start();
    this.#timer = setInterval(() => {
      this.#flush(this.#schedule.second());
    }, 250);
    if (plan.curve.kind === 'arrivals')
      for (const { crew } of plan.crews)
        this.#lastsUntil(
          this.#arrive(
            crew,
            plan,
            this.#seats.filter((one) => one.crew === crew),
            plan.generator,
          ),
        );
    else for (const seat of this.#seats) this.#lastsUntil(this.#play(seat, plan));
    // Users may come while others play.
    while (this.#open.size > 0) await Promise.all(this.#open);
    clearInterval(this.#timer);
    this.#flush(this.#schedule.second() + 1);
    this.#self.stop();
    // After a normal end the rows that nobody got are given back; after an abort all that was leased counts as spent.
    if (!this.#aborted) await this.#rows?.giveBack();
    this.send({ kind: 'ended' });
  }

  /** The run lasts until this has ended, too. */
  #lastsUntil(own: Promise<void>): void {
    const playing = own.finally(() => this.#open.delete(playing));
    this.#open.add(playing);
  }

  #goOn(): void {
    this.#paused?.goOn();
    this.#paused = null;
  }

  #changeUsers({ crew: id, come, go, share }: Extract<ToGenerator, { kind: 'users' }>): void {
    const plan = this.#plan;
    const crew = plan?.crews.find((one) => one.crew.id === id)?.crew;
    const program = this.#programs.get(id);
    // An ended run takes nobody in.
    if (!plan || !crew || !program || this.#ending() || this.#open.size === 0) return;
    for (const seat of this.#seats)
      if (go.includes(seat.state.user)) {
        seat.leaves = true;
        seat.wake?.();
      }
    const seats = come.flatMap(({ place, user, iteration = 0 }) => {
      const seat = this.#makeSeat?.({ crew, program, place, user });
      if (seat) seat.state.iteration = iteration;
      return seat ?? [];
    });
    this.#seats.push(...seats);
    if (plan.curve.kind === 'arrivals') {
      if (share !== undefined) this.#lastsUntil(this.#arrive(crew, plan, seats, share, this.#schedule.curveSeconds()));
      return;
    }
    const startSeconds = this.#schedule.curveSeconds();
    for (const seat of seats) {
      const planned = spansOf(plan.curve, crew, seat.place);
      // Who takes over plays as the lost one would have; who was not planned stays as long as the last of its crew.
      const last = Math.max(0, ...userSpans(plan.curve, crew.users - 1, crew.users).map((one) => one.endSeconds));
      seat.spans =
        seat.place < crew.users
          ? planned
              .filter((one) => one.endSeconds > startSeconds)
              .map((one) => ({ ...one, startSeconds: Math.max(startSeconds, one.startSeconds) }))
          : [{ startSeconds, endSeconds: last }];
      this.#lastsUntil(this.#play(seat, plan));
    }
  }

  async #play(seat: Seat, plan: Plan): Promise<void> {
    const { crew, state } = seat;
    const kept = new Map<string, Row>();
    const played: { rows: Rows } = { rows: new Map() };
    for (const span of seat.spans ?? spansOf(plan.curve, crew, seat.place)) {
      seat.endSeconds = span.endSeconds;
      // Who was cut off comes again where the curve rises again.
      seat.cut = false;
      const goesOn = await this.#playSpan(seat, plan, kept, span.startSeconds, played);
      if (!goesOn || this.#ending()) break;
    }
    if (state.iteration > 0 && !this.#aborted && !seat.cut) await seat.user.end(played.rows);
    state.state = 'ended';
    await seat.user.close();
  }

  /** Plays iterations as they are due until the end of a span; false where the user plays no more. */
  async #playSpan(seat: Seat, plan: Plan, kept: Map<string, Row>, startSeconds: number, played: { rows: Rows }): Promise<boolean> {
    const { crew, state } = seat;
    // Until its first iteration it is due by the curve, then by its pacing.
    let paced: number | null = null;
    try {
      while (!this.#ending()) {
        if (seat.leaves || state.iteration >= (crew.iterations ?? Infinity)) return false;
        const dueMs: number = paced ?? this.#schedule.dueAt(startSeconds);
        const endMs = this.#schedule.at(seat.endSeconds);
        const waitMs = Math.min(dueMs, endMs) - performance.now();
        if (waitMs > 0) {
          // Somebody may have to go meanwhile, or a phase be passed over, so what woke it is looked at again.
          await this.#schedule.pause(waitMs, (wake) => (seat.wake = wake));
          seat.wake = null;
          continue;
        }
        if (this.#paused) {
          await this.#paused.on;
          // What was due meanwhile is not made good.
          paced = Math.max(dueMs, performance.now());
          continue;
        }
        const nowMs = performance.now();
        // Ending is decided by the schedule, so that a user due exactly at the end does not start once more.
        if (this.#ending() || nowMs >= endMs - 1 || dueMs >= endMs) return true;
        seat.active = true;
        this.#meter.late(Math.max(0, nowMs - dueMs));
        const rows = (await this.#rows?.forIteration(seat.tables, crew, state, kept)) ?? null;
        if (!rows) return false;
        played.rows = rows;
        const { good, ends } = await this.#iterate(seat, plan, rows);
        if (seat.cut) return true;
        if (ends || (!good && crew.onFailure === 'stop-user')) return false;
        if (!good && crew.onFailure === 'end-run') {
          this.send({ kind: 'end-run', reason: `User ${state.user}: ${state.lastError ?? 'a step failed'}` });
          return false;
        }
        state.state = 'waiting';
        // A late user goes on from now; it does not start a burst to catch up.
        paced = nextDueMs(crew.pacing, dueMs, performance.now(), seat.random);
      }
      return true;
    } finally {
      seat.active = false;
    }
  }

  /** One iteration; what is open when the time of the user is over is cut off where the curve says so. */
  async #iterate(seat: Seat, plan: Plan, rows: Rows): Promise<{ good: boolean; ends: boolean }> {
    const { crew, state } = seat;
    state.iteration++;
    const calledOff =
      plan.curve.atEnd === 'now' && Number.isFinite(seat.endSeconds)
        ? this.#schedule.atEnd(seat.endSeconds, () => {
            seat.cut = true;
            void seat.user.close();
          })
        : undefined;
    const { good, complete, ends } = await seat.user.iterate(rows, crew.onFailure === 'go-on' ? 'go-on' : 'next-iteration');
    calledOff?.();
    if (complete && !seat.cut) this.#meter.iteration(good);
    state.step = null;
    return { good, ends };
  }

  /**
   * Starts iterations of a crew when they arrive, each as a new visitor; one that finds no free seat is counted as missed. Of all arrivals those
   * of one share are played, the share of this generator or of one that was lost.
   */
  async #arrive(crew: Crew, plan: Plan, seats: readonly Seat[], share: number, fromSeconds = 0): Promise<void> {
    const { curve } = plan;
    if (curve.kind !== 'arrivals') return;
    const free = [...seats];
    const open = new Set<Promise<void>>();
    const times = arrivalTimes(curve, crew, seedrandom(`${plan.seed}:arrivals:${crew.id}`));
    const endSeconds = curve.rampUpSeconds + curve.holdSeconds + curve.rampDownSeconds;
    for (let at = share; at < times.length && !this.#ending(); at += plan.generators) {
      const seconds = times[at] ?? 0;
      // Who comes late to a share does not make good what came before, and nobody what was passed over.
      if (seconds < fromSeconds || this.#schedule.isSkipped(seconds)) continue;
      await this.#schedule.until(() => this.#schedule.at(seconds));
      if (this.#schedule.isSkipped(seconds)) continue;
      if (this.#paused) {
        // Who would come while it is paused does not come at all.
        await this.#paused.on;
        continue;
      }
      if (this.#ending()) break;
      const seat = free.shift();
      if (!seat) {
        this.#meter.missed();
        continue;
      }
      this.#meter.late(Math.max(0, performance.now() - this.#schedule.at(seconds)));
      seat.endSeconds = endSeconds;
      const visit = this.#visit(seat, plan).then((goesOn) => {
        open.delete(visit);
        if (goesOn) free.push(seat);
      });
      open.add(visit);
    }
    await Promise.all(open);
    for (const seat of seats) {
      seat.state.state = 'ended';
      await seat.user.close();
    }
  }

  /** One visit of somebody who was never there before; false where this seat plays no more. */
  async #visit(seat: Seat, plan: Plan): Promise<boolean> {
    const { crew, state } = seat;
    seat.active = true;
    try {
      const rows = (await this.#rows?.forIteration(seat.tables, crew, state, new Map())) ?? null;
      if (!rows) return false;
      seat.user.renew();
      const { good, ends } = await this.#iterate(seat, plan, rows);
      if (!this.#aborted && !seat.cut) await seat.user.end(rows);
      if (!good && crew.onFailure === 'end-run')
        this.send({ kind: 'end-run', reason: `User ${state.user}: ${state.lastError ?? 'a step failed'}` });
      return !ends && !seat.cut && (good || (crew.onFailure !== 'stop-user' && crew.onFailure !== 'end-run'));
    } finally {
      seat.active = false;
      state.state = 'waiting';
    }
  }

  /** The states of users that are not as they were told last: of thousands only a few change within a second. */
  #changed(): UserState[] {
    return this.#seats.filter(hasChanged).map((seat) => (seat.told = { ...seat.state }));
  }

  #flush(beforeSecond: number): void {
    for (const taken of this.#meter.take(this.#flushed, beforeSecond)) {
      const frame: Frame = {
        version: 1,
        generator: this.#plan?.generator ?? 0,
        ...taken,
        activeUsers: this.#seats.filter((one) => one.active).length,
        users: this.#changed(),
        ...this.#self.take(),
      };
      this.send({ kind: 'frame', frame });
    }
    if (beforeSecond > this.#flushed) {
      const batch = this.#samples?.take();
      if (batch) this.send({ kind: 'samples', batch });
    }
    const entries = this.#reporter.takeLog();
    if (entries.length > 0) this.send({ kind: 'log', entries });
    this.#flushed = Math.max(this.#flushed, beforeSecond);
  }

  /** At a finish those who wait between two iterations go home; an iteration keeps its remaining pauses short. */
  #wakeAll(): void {
    this.#meetings?.open();
    if (this.#aborted) this.#schedule.over();
    else this.#schedule.wakeAll();
  }
}
