import { monitorEventLoopDelay } from 'node:perf_hooks';
import { arrivalTimes, nextDueMs, spansOf, userSpans, type Crew, type Frame, type Span, type UserState } from '@sturdy/core';
import seedrandom from 'seedrandom';
import type { Driver } from '../drivers/driver.js';
import { CachedDriver } from '../drivers/http/cached-driver.js';
import { HttpDriver, optionsFor } from '../drivers/http/http-driver.js';
import { TargetTls } from '../drivers/http/target-tls.js';
import { capture } from '../play/capture.js';
import { trafficOf, VirtualUser, type PlayedStep, type Row, type Rows } from '../play/virtual-user.js';
import { compile, type Program } from '../program/compile.js';
import type { FromGenerator, LeasedRow, Plan, ToGenerator } from './messages.js';
import { Meetings } from './meetings.js';
import { Meter } from './meter.js';
import { RowSupply } from './row-supply.js';

/** Text of a failed exchange is kept up to this many characters. */
const exampleLimit = 20_000;

interface Seat {
  crew: Crew;
  place: number;
  state: UserState;
  user: VirtualUser;
  driver: Driver;
  tables: string[];
  random: () => number;
  /** When its time is over, on the clock of this process; endless while nobody has said. */
  endMs: number;
  /** True while it plays, waits between two iterations or thinks. */
  active: boolean;
  /** True once it was asked to go home after its iteration. */
  leaves: boolean;
  /** Ends its wait for the next iteration; null while it does not wait for one. */
  wake: (() => void) | null;
  /** When it plays where the curve does not say: it came later. */
  spans: Span[] | null;
  /** True once its time was over and what was open was cut off; what that did says nothing of the system. */
  cut: boolean;
}

const rowOf = (columns: readonly string[], { values }: LeasedRow): Row => new Map(columns.map((column, at) => [column, values[at] ?? '']));

/** Plays the virtual users of one plan and sends a frame each second. Knows its transport only by `send`. */
export class Generator {
  #plan: Plan | null = null;
  #seats: Seat[] = [];
  #meter = new Meter(() => this.#second());
  #supplies = new Map<string, RowSupply>();
  #startedMs = 0;
  #flushed = 0;
  #finishing = false;
  /** Set while the run is paused; resolves when it goes on. */
  #paused: { on: Promise<void>; goOn: () => void } | null = null;
  readonly #programs = new Map<string, Program>();
  #makeSeat: ((crew: Crew, program: Program, place: number, user: number) => Seat) | null = null;
  /** Users that are playing; the run is over when the last one has ended. */
  readonly #open = new Set<Promise<void>>();
  #aborted = false;
  #timer: NodeJS.Timeout | null = null;
  readonly #pauses = new Set<() => void>();
  readonly #meetings = new Meetings();
  readonly #loop = monitorEventLoopDelay({ resolution: 10 });

  constructor(readonly send: (message: FromGenerator) => void) {}

  /** Takes in a message of the conductor. */
  receive(message: ToGenerator): void {
    switch (message.kind) {
      case 'plan':
        this.#prepare(message.plan);
        this.send({ kind: 'ready' });
        break;
      case 'start':
        void this.#start();
        break;
      case 'rows':
        this.#supplies.get(message.table)?.arrive(message.rows);
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
        for (const seat of this.#seats) void seat.driver.close();
        break;
    }
  }

  #ending(): boolean {
    return this.#finishing;
  }

  #second(): number {
    return Math.floor((performance.now() - this.#startedMs) / 1000);
  }

  #prepare(plan: Plan): void {
    this.#plan = plan;
    const files = new Map(Object.entries(plan.files).map(([hash, text]) => [hash, Buffer.from(text, 'base64')]));
    const tls = new TargetTls(plan.environment);
    const dealtPerUse = new Set(plan.tables.filter((one) => one.deal.when === 'use').map((one) => one.table));
    const listed = new Map(
      plan.tables.flatMap(({ table, columns, rows }) => (rows ? [[table, rows.map((row) => rowOf(columns, row))] as const] : [])),
    );
    const seatCount = plan.crews.reduce((sum, one) => sum + one.users.length, 0);
    for (const { table } of plan.tables) {
      const block = Math.max(1, Math.min(50, Math.ceil(seatCount / 2)));
      this.#supplies.set(
        table,
        new RowSupply(block, (count) => {
          this.send({ kind: 'lease', table, count });
        }),
      );
    }
    const makeSeat = (crew: Crew, program: Program, place: number, user: number): Seat => {
      const state: UserState = { user, crew: crew.id, state: 'waiting', iteration: 0, step: null, row: null, lastError: null };
      const wire = new HttpDriver(optionsFor(plan.environment, tls, crew));
      const cache = crew.browser?.cache ?? 'off';
      const driver = cache === 'off' ? wire : new CachedDriver(wire, cache === 'cold');
      const random = seedrandom(`${plan.seed}:${user}`);
      const seat: Omit<Seat, 'user'> = {
        crew,
        place,
        state,
        driver,
        tables: program.tables,
        random,
        endMs: Infinity,
        active: false,
        leaves: false,
        wake: null,
        spans: null,
        cut: false,
      };
      const virtual = new VirtualUser(
        program,
        driver,
        random,
        {
          beforeStep: (step) => {
            state.state = 'working';
            state.step = step;
          },
          step: (played) => {
            if (!seat.cut) this.#played(crew, state, played);
          },
          note: ({ transaction, step, kind, text }) => {
            if (kind === 'failed' && !seat.cut) this.#noted(crew, state, transaction, step, text);
          },
          transaction: (name, busyMs, good, traffic) => {
            if (!seat.cut) this.#meter.sample(crew.id, name, null, busyMs, good, traffic);
          },
        },
        {
          stopsNow: () =>
            this.#aborted || seat.cut || (plan.curve.atEnd === 'step' && (this.#finishing || performance.now() >= seat.endMs)),
          pause: async (ms) => {
            state.state = 'thinking';
            await this.#pause(ms);
          },
          meet: (step, count, atMostMs) => {
            state.state = 'waiting';
            return this.#meetings.meet(step, Math.min(count, seatCount), atMostMs);
          },
          deal: (table) => this.#next(state, plan, table),
          listed: (table) => listed.get(table) ?? null,
          // The system under test remembers ids of earlier runs, so a run that is repeated must not send them again.
          fresh: seedrandom(`${plan.seed}:${plan.runId}:${user}`),
        },
      );
      return Object.assign(seat, { user: virtual });
    };
    this.#makeSeat = makeSeat;
    for (const { crew, users } of plan.crews) {
      const script = plan.scripts.find((one) => one.id === crew.scriptId);
      if (!script) throw new Error(`The crew “${crew.name}” plays a script that the plan does not hold.`);
      const program = compile(script, plan.environment, {
        think: crew.think,
        readFile: (hash) => files.get(hash),
        dealtPerUse,
        filesSideBySide: crew.browser?.filesSideBySide ?? false,
      });
      this.#programs.set(crew.id, program);
      for (const { place, user } of users) this.#seats.push(makeSeat(crew, program, place, user));
    }
  }

  async #start(): Promise<void> {
    const plan = this.#plan;
    if (!plan) return;
    this.#startedMs = performance.now();
    this.#loop.enable();
    this.#timer = setInterval(() => {
      this.#flush(this.#second());
    }, 250);
    if (plan.curve.kind === 'arrivals') await Promise.all(plan.crews.map(({ crew }) => this.#arrive(crew, plan)));
    else {
      for (const seat of this.#seats) this.#admit(seat, plan);
      // Users may come while others play.
      while (this.#open.size > 0) await Promise.all(this.#open);
    }
    clearInterval(this.#timer);
    this.#flush(this.#second() + 1);
    this.#loop.disable();
    // After a normal end the rows that nobody got are given back; after an abort all that was leased counts as spent.
    if (!this.#aborted)
      for (const [table, supply] of this.#supplies) {
        const rows = supply.unused();
        if (rows.length > 0) this.send({ kind: 'unused', table, rows });
      }
    this.send({ kind: 'ended' });
  }

  #admit(seat: Seat, plan: Plan): void {
    const playing = this.#play(seat, plan).finally(() => this.#open.delete(playing));
    this.#open.add(playing);
  }

  #goOn(): void {
    this.#paused?.goOn();
    this.#paused = null;
  }

  #changeUsers({ crew: id, come, go }: Extract<ToGenerator, { kind: 'users' }>): void {
    const plan = this.#plan;
    const crew = plan?.crews.find((one) => one.crew.id === id)?.crew;
    const program = this.#programs.get(id);
    // With arrivals nobody has a time of its own, and an ended run takes nobody in.
    if (!plan || !crew || !program || plan.curve.kind === 'arrivals' || this.#ending() || this.#open.size === 0) return;
    for (const seat of this.#seats)
      if (go.includes(seat.state.user)) {
        seat.leaves = true;
        seat.wake?.();
      }
    const last = Math.max(0, ...userSpans(plan.curve, crew.users - 1, crew.users).map((one) => one.endSeconds));
    for (const { place, user } of come) {
      const seat = this.#makeSeat?.(crew, program, place, user);
      if (!seat) continue;
      seat.spans = [{ startSeconds: (performance.now() - this.#startedMs) / 1000, endSeconds: last }];
      this.#seats.push(seat);
      this.#admit(seat, plan);
    }
  }

  async #play(seat: Seat, plan: Plan): Promise<void> {
    const { crew, state } = seat;
    const kept = new Map<string, Row>();
    const played: { rows: Rows } = { rows: new Map() };
    for (const span of seat.spans ?? spansOf(plan.curve, crew, seat.place)) {
      seat.endMs = this.#startedMs + span.endSeconds * 1000;
      // Who was cut off comes again where the curve rises again.
      seat.cut = false;
      const startMs = this.#startedMs + span.startSeconds * 1000;
      const goesOn = await this.#playSpan(seat, plan, kept, startMs, played);
      if (!goesOn || this.#ending()) break;
    }
    if (state.iteration > 0 && !this.#aborted && !seat.cut) await seat.user.end(played.rows);
    state.state = 'ended';
    await seat.driver.close();
  }

  /** Plays iterations as they are due until the end of a span; false where the user plays no more. */
  async #playSpan(seat: Seat, plan: Plan, kept: Map<string, Row>, startMs: number, played: { rows: Rows }): Promise<boolean> {
    const { crew, state } = seat;
    const { endMs } = seat;
    let dueMs = startMs;
    try {
      while (!this.#ending()) {
        if (seat.leaves || state.iteration >= (crew.iterations ?? Infinity)) return false;
        const waitMs = Math.min(dueMs, endMs) - performance.now();
        if (waitMs > 0) {
          // Somebody may have to go meanwhile, so what woke it is looked at again.
          await this.#pause(waitMs, (wake) => (seat.wake = wake));
          seat.wake = null;
          if (performance.now() < Math.min(dueMs, endMs) - 1) continue;
        }
        if (this.#paused) {
          await this.#paused.on;
          // What was due meanwhile is not made good.
          dueMs = Math.max(dueMs, performance.now());
          continue;
        }
        const nowMs = performance.now();
        // Ending is decided by the schedule, so that a user due exactly at the end does not start once more.
        if (this.#ending() || nowMs >= endMs - 1 || dueMs >= endMs) return true;
        seat.active = true;
        this.#meter.late(Math.max(0, nowMs - dueMs));
        const rows = await this.#deal(seat, plan, kept);
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
        dueMs = nextDueMs(crew.pacing, dueMs, performance.now(), seat.random);
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
    const leftMs = seat.endMs - performance.now();
    const knife =
      plan.curve.atEnd === 'now' && Number.isFinite(leftMs)
        ? setTimeout(() => {
            seat.cut = true;
            void seat.driver.close();
          }, leftMs)
        : undefined;
    const { good, complete, ends } = await seat.user.iterate(rows, crew.onFailure === 'go-on' ? 'go-on' : 'next-iteration');
    clearTimeout(knife);
    if (complete && !seat.cut) this.#meter.iteration(good);
    state.step = null;
    return { good, ends };
  }

  /** Starts iterations of a crew when they arrive, each as a new visitor; one that finds no free seat is counted as missed. */
  async #arrive(crew: Crew, plan: Plan): Promise<void> {
    const { curve } = plan;
    if (curve.kind !== 'arrivals') return;
    const free = this.#seats.filter((one) => one.crew === crew);
    const open = new Set<Promise<void>>();
    const times = arrivalTimes(curve, crew, seedrandom(`${plan.seed}:arrivals:${crew.id}`));
    const endMs = this.#startedMs + (curve.rampUpSeconds + curve.holdSeconds + curve.rampDownSeconds) * 1000;
    for (let at = plan.generator; at < times.length && !this.#ending(); at += plan.generators) {
      const dueMs = this.#startedMs + (times[at] ?? 0) * 1000;
      await this.#pause(dueMs - performance.now());
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
      this.#meter.late(Math.max(0, performance.now() - dueMs));
      seat.endMs = endMs;
      const visit = this.#visit(seat, plan).then((goesOn) => {
        open.delete(visit);
        if (goesOn) free.push(seat);
      });
      open.add(visit);
    }
    await Promise.all(open);
    for (const seat of this.#seats.filter((one) => one.crew === crew)) {
      seat.state.state = 'ended';
      await seat.driver.close();
    }
  }

  /** One visit of somebody who was never there before; false where this seat plays no more. */
  async #visit(seat: Seat, plan: Plan): Promise<boolean> {
    const { crew, state } = seat;
    seat.active = true;
    try {
      const rows = await this.#deal(seat, plan, new Map());
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

  /** The rows of an iteration; null where a table has none left. */
  async #deal(seat: Seat, plan: Plan, kept: Map<string, Row>): Promise<Rows | null> {
    const rows = new Map<string, Row>();
    for (const table of seat.tables) {
      const row = kept.get(table) ?? (await this.#next(seat.state, plan, table));
      if (!row) return null;
      if (plan.tables.find((one) => one.table === table)?.deal.when !== 'iteration') kept.set(table, row);
      rows.set(table, row);
    }
    return rows;
  }

  /** The next row of a table; null where there is none left. */
  async #next(state: UserState, plan: Plan, table: string): Promise<Row | null> {
    const known = plan.tables.find((one) => one.table === table);
    const row = (await this.#supplies.get(table)?.deal()) ?? null;
    if (!known || !row) {
      state.lastError = 'The data table has no free row left.';
      if (known?.deal.whenEmpty === 'end-run') this.send({ kind: 'end-run', reason: 'A data table has no free row left.' });
      return null;
    }
    state.row = row.row;
    return rowOf(known.columns, row);
  }

  /** A step that sends nothing failed: there is no exchange to show, only what it said. */
  #noted(crew: Crew, state: UserState, transaction: string, step: string, text: string): void {
    if (this.#aborted) return;
    state.lastError = text;
    this.#meter.failure(crew.id, transaction, step, text, () => null);
  }

  #played(crew: Crew, state: UserState, played: PlayedStep): void {
    // What an abort cut off says nothing of the system.
    if (this.#aborted) return;
    const { response } = played;
    // What the user had already took no time of the system; it would only make its figures better.
    if (!response.fromCache)
      this.#meter.sample(crew.id, played.transaction, played.step, response.durationMs, played.failure === null, trafficOf(response));
    if (played.failure === null) return;
    state.lastError = played.failure;
    this.#meter.failure(crew.id, played.transaction, played.step, played.failure, () => {
      const text = (bytes: Uint8Array | string | null) =>
        (typeof bytes === 'string' ? bytes : bytes ? Buffer.from(bytes).toString() : '').slice(0, exampleLimit);
      const noBody = (bytes: Uint8Array, mimeType: string) => ({ hash: '', size: bytes.length, mimeType });
      return {
        user: state.user,
        captured: capture(played, this.#startedMs, noBody),
        requestText: text(played.request.body),
        responseText: text(response.body),
      };
    });
  }

  #flush(beforeSecond: number): void {
    for (const taken of this.#meter.take(this.#flushed, beforeSecond)) {
      const frame: Frame = {
        version: 1,
        generator: this.#plan?.generator ?? 0,
        ...taken,
        activeUsers: this.#seats.filter((one) => one.active).length,
        users: this.#seats.map((one) => ({ ...one.state })),
        loopDelayMs: Math.max(0, this.#loop.max / 1e6 - 10),
      };
      this.#loop.reset();
      this.send({ kind: 'frame', frame });
    }
    this.#flushed = Math.max(this.#flushed, beforeSecond);
  }

  /** Waits, but not past a finish. */
  #pause(ms: number, register?: (wake: () => void) => void): Promise<void> {
    if (ms <= 0 || this.#aborted) return Promise.resolve();
    return new Promise((done) => {
      const wake = () => {
        clearTimeout(timer);
        this.#pauses.delete(wake);
        done();
      };
      const timer = setTimeout(wake, ms);
      this.#pauses.add(wake);
      register?.(wake);
    });
  }

  /** At a finish those who wait between two iterations go home; an iteration keeps its remaining pauses short. */
  #wakeAll(): void {
    this.#meetings.open();
    for (const wake of [...this.#pauses]) wake();
  }
}
