import { arrivalTimes, nextDueMs, spansOf, userSpans, type Crew } from '@sturdy/core';
import seedrandom from 'seedrandom';
import type { Row, Rows } from '../play/virtual-user.js';
import type { Program } from '../program/compile.js';
import type { FromGenerator, Plan, ToGenerator } from './messages.js';
import type { Meter } from './meter.js';
import type { RowDeals } from './row-deals.js';
import type { Schedule } from './schedule.js';
import type { Seat, Seating } from './seat.js';

/** What the playing of a run needs of its generator. */
export interface PlayGround {
  plan: Plan;
  schedule: Schedule;
  meter: Meter;
  rows: RowDeals;
  /** By crew. */
  programs: ReadonlyMap<string, Program>;
  makeSeat: (seating: Seating) => Seat;
  send: (message: FromGenerator) => void;
}

/** Plays the seats of one generator from the start of the curve to the end: who begins an iteration when, who pauses, comes and goes. */
export class RunPlay {
  readonly #plan: Plan;
  readonly #schedule: Schedule;
  readonly #meter: Meter;
  readonly #rows: RowDeals;
  readonly #programs: PlayGround['programs'];
  readonly #makeSeat: PlayGround['makeSeat'];
  readonly #send: PlayGround['send'];
  readonly seats: Seat[];
  /** Users that are playing; the run is over when the last one has ended. */
  readonly #open = new Set<Promise<void>>();
  /** Set while the run is paused; resolves when it goes on. */
  #paused: { on: Promise<void>; goOn: () => void } | null = null;
  #isFinishing = false;
  #isAborted = false;

  constructor({ plan, schedule, meter, rows, programs, makeSeat, send }: PlayGround) {
    this.#plan = plan;
    this.#schedule = schedule;
    this.#meter = meter;
    this.#rows = rows;
    this.#programs = programs;
    this.#makeSeat = makeSeat;
    this.#send = send;
    this.seats = plan.crews.flatMap(({ crew, users }) => {
      const program = programs.get(crew.id);
      return program ? users.map(({ place, user }) => makeSeat({ crew, program, place, user })) : [];
    });
  }

  /** Nobody begins an iteration any more. */
  get isFinishing(): boolean {
    return this.#isFinishing;
  }

  /** What is under way is dropped, and not measured. */
  get isAborted(): boolean {
    return this.#isAborted;
  }

  /** Plays until the last user has ended. The schedule has begun. */
  async toEnd(): Promise<void> {
    const plan = this.#plan;
    if (plan.curve.kind === 'arrivals')
      for (const { crew } of plan.crews)
        this.#lastsUntil(
          this.#arrive(
            crew,
            this.seats.filter((seat) => seat.crew === crew),
            plan.generator,
          ),
        );
    else for (const seat of this.seats) this.#lastsUntil(this.#play(seat));
    // Users may come while others play.
    while (this.#open.size > 0) await Promise.all(this.#open);
  }

  /** Nobody begins an iteration until it goes on. */
  pause(): void {
    if (this.#paused) return;
    let goOn: () => void = () => undefined;
    const on = new Promise<void>((done) => {
      goOn = done;
    });
    this.#paused = { on, goOn };
  }

  goOn(): void {
    this.#paused?.goOn();
    this.#paused = null;
  }

  /** So many seconds of the curve are passed over. */
  skip(seconds: number): void {
    this.#schedule.skip(seconds);
    for (const seat of this.seats) seat.wake?.();
  }

  /** Those who wait between two iterations go home; an iteration keeps its remaining pauses short. */
  finish(): void {
    this.#isFinishing = true;
    this.goOn();
    this.#schedule.wakeAll();
    this.#rows.waitNoLonger();
  }

  /** Everything under way is dropped. */
  abort(): void {
    this.#isAborted = true;
    this.#isFinishing = true;
    this.goOn();
    this.#schedule.over();
    this.#rows.abandon();
    for (const seat of this.seats) void seat.user.close();
  }

  /** Users come to a crew or go home. An ended run takes nobody in. */
  changeUsers({ crew: id, come, go, share }: Extract<ToGenerator, { kind: 'users' }>): void {
    const { crews, curve } = this.#plan;
    const crew = crews.find((played) => played.crew.id === id)?.crew;
    const program = this.#programs.get(id);
    if (!crew || !program || this.#isFinishing || this.#open.size === 0) return;
    for (const seat of this.seats)
      if (go.includes(seat.state.user)) {
        seat.leaves = true;
        seat.wake?.();
      }
    const seats = come.map(({ place, user, iteration = 0 }) => {
      const seat = this.#makeSeat({ crew, program, place, user });
      seat.state.iteration = iteration;
      return seat;
    });
    this.seats.push(...seats);
    if (curve.kind === 'arrivals') {
      if (share !== undefined) this.#lastsUntil(this.#arrive(crew, seats, share, this.#schedule.curveSeconds()));
      return;
    }
    const startSeconds = this.#schedule.curveSeconds();
    for (const seat of seats) {
      const planned = spansOf(curve, crew, seat.place);
      // Who takes over plays as the lost one would have; who was not planned stays as long as the last of its crew.
      const last = Math.max(0, ...userSpans(curve, crew.users - 1, crew.users).map(({ endSeconds }) => endSeconds));
      seat.spans =
        seat.place < crew.users
          ? planned
              .filter((span) => span.endSeconds > startSeconds)
              .map((span) => ({ ...span, startSeconds: Math.max(startSeconds, span.startSeconds) }))
          : [{ startSeconds, endSeconds: last }];
      this.#lastsUntil(this.#play(seat));
    }
  }

  /** The run lasts until this has ended, too. */
  #lastsUntil(ended: Promise<void>): void {
    const playing = ended.finally(() => this.#open.delete(playing));
    this.#open.add(playing);
  }

  /** Asked anew each time: it may change while something is waited for. */
  #isEnding(): boolean {
    return this.#isFinishing;
  }

  async #play(seat: Seat): Promise<void> {
    const { crew, state } = seat;
    const kept = new Map<string, Row>();
    const played: { rows: Rows } = { rows: new Map() };
    for (const span of seat.spans ?? spansOf(this.#plan.curve, crew, seat.place)) {
      seat.endSeconds = span.endSeconds;
      // Who was cut off comes again where the curve rises again.
      seat.cut = false;
      const goesOn = await this.#playSpan(seat, kept, span.startSeconds, played);
      if (!goesOn || this.#isEnding()) break;
    }
    if (state.iteration > 0 && !this.#isAborted && !seat.cut) await seat.user.end(played.rows);
    state.state = 'ended';
    await seat.user.close();
  }

  /** Plays iterations as they are due until the end of a span; false where the user plays no more. */
  async #playSpan(seat: Seat, kept: Map<string, Row>, startSeconds: number, played: { rows: Rows }): Promise<boolean> {
    const { crew, state } = seat;
    // Until its first iteration it is due by the curve, then by its pacing.
    let paced: number | null = null;
    try {
      while (!this.#isEnding()) {
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
        if (this.#isEnding() || nowMs >= endMs - 1 || dueMs >= endMs) return true;
        seat.active = true;
        this.#meter.late(Math.max(0, nowMs - dueMs));
        const rows = await this.#rows.forIteration(seat.tables, crew, state, kept);
        if (!rows) return false;
        played.rows = rows;
        const { good, ends } = await this.#iterate(seat, rows);
        if (seat.cut) return true;
        if (ends || (!good && crew.onFailure === 'stop-user')) return false;
        if (!good && crew.onFailure === 'end-run') {
          this.#send({ kind: 'end-run', reason: `User ${state.user}: ${state.lastError ?? 'a step failed'}` });
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
  async #iterate(seat: Seat, rows: Rows): Promise<{ good: boolean; ends: boolean }> {
    const { crew, state } = seat;
    state.iteration++;
    seat.busyMs = 0;
    seat.usedRows = [];
    const calledOff =
      this.#plan.curve.atEnd === 'now' && Number.isFinite(seat.endSeconds)
        ? this.#schedule.atEnd(seat.endSeconds, () => {
            seat.cut = true;
            void seat.user.close();
          })
        : undefined;
    const { good, complete, ends } = await seat.user.iterate(rows, crew.onFailure === 'go-on' ? 'go-on' : 'next-iteration');
    calledOff?.();
    if (complete && !seat.cut) this.#meter.iteration(crew.id, good, seat.busyMs, [...this.#rows.placesOf(rows), ...seat.usedRows]);
    state.step = null;
    return { good, ends };
  }

  /**
   * Starts iterations of a crew when they arrive, each as a new visitor; one that finds no free seat is counted as missed. Of all arrivals those
   * of one share are played, the share of this generator or of one that was lost.
   */
  async #arrive(crew: Crew, seats: readonly Seat[], share: number, fromSeconds = 0): Promise<void> {
    const { curve, seed, generators } = this.#plan;
    if (curve.kind !== 'arrivals') return;
    const free = [...seats];
    const open = new Set<Promise<void>>();
    const times = arrivalTimes(curve, crew, seedrandom(`${seed}:arrivals:${crew.id}`));
    const endSeconds = curve.rampUpSeconds + curve.holdSeconds + curve.rampDownSeconds;
    for (let at = share; at < times.length && !this.#isEnding(); at += generators) {
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
      if (this.#isEnding()) break;
      const seat = free.shift();
      if (!seat) {
        this.#meter.missed();
        continue;
      }
      this.#meter.late(Math.max(0, performance.now() - this.#schedule.at(seconds)));
      seat.endSeconds = endSeconds;
      const visit = this.#visit(seat).then((goesOn) => {
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
  async #visit(seat: Seat): Promise<boolean> {
    const { crew, state } = seat;
    seat.active = true;
    try {
      const rows = await this.#rows.forIteration(seat.tables, crew, state, new Map());
      if (!rows) return false;
      seat.user.renew();
      const { good, ends } = await this.#iterate(seat, rows);
      if (!this.#isAborted && !seat.cut) await seat.user.end(rows);
      if (!good && crew.onFailure === 'end-run')
        this.#send({ kind: 'end-run', reason: `User ${state.user}: ${state.lastError ?? 'a step failed'}` });
      return !ends && !seat.cut && (good || (crew.onFailure !== 'stop-user' && crew.onFailure !== 'end-run'));
    } finally {
      seat.active = false;
      state.state = 'waiting';
    }
  }
}
