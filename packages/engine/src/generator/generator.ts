import { monitorEventLoopDelay } from 'node:perf_hooks';
import { userSpan, type Crew, type Frame, type UserState } from '@sturdy/core';
import seedrandom from 'seedrandom';
import { HttpDriver, optionsFor } from '../drivers/http/http-driver.js';
import { TargetTls } from '../drivers/http/target-tls.js';
import { capture } from '../play/capture.js';
import { VirtualUser, type PlayedStep, type Row, type Rows } from '../play/virtual-user.js';
import { compile } from '../program/compile.js';
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
  driver: HttpDriver;
  tables: string[];
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
      case 'finish':
        this.#finishing = true;
        this.#wakeAll();
        break;
      case 'abort':
        this.#finishing = true;
        this.#aborted = true;
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
    for (const { crew, users } of plan.crews) {
      const script = plan.scripts.find((one) => one.id === crew.scriptId);
      if (!script) throw new Error(`The crew “${crew.name}” plays a script that the plan does not hold.`);
      const program = compile(script, plan.environment, { think: crew.think, readFile: (hash) => files.get(hash), dealtPerUse });
      for (const { place, user } of users) {
        const state: UserState = { user, crew: crew.id, state: 'waiting', iteration: 0, step: null, row: null, lastError: null };
        const driver = new HttpDriver(optionsFor(plan.environment, tls));
        const virtual = new VirtualUser(
          program,
          driver,
          seedrandom(`${plan.seed}:${user}`),
          {
            beforeStep: (step) => {
              state.state = 'working';
              state.step = step;
            },
            step: (played) => {
              this.#played(crew, state, played);
            },
            note: ({ transaction, step, kind, text }) => {
              if (kind === 'failed') this.#noted(crew, state, transaction, step, text);
            },
            transaction: (name, busyMs, good, bytesIn, bytesOut) => {
              this.#meter.sample(crew.id, name, null, busyMs, good, bytesIn, bytesOut);
            },
          },
          {
            stopsNow: () => this.#aborted || (this.#finishing && plan.curve.atEnd === 'step'),
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
          },
        );
        this.#seats.push({ crew, place, state, user: virtual, driver, tables: program.tables });
      }
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
    await Promise.all(this.#seats.map((seat) => this.#play(seat, plan)));
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

  async #play(seat: Seat, plan: Plan): Promise<void> {
    const { crew, state } = seat;
    const span = userSpan(plan.curve, seat.place, crew.users);
    const endMs = this.#startedMs + span.endSeconds * 1000;
    let dueMs = this.#startedMs + span.startSeconds * 1000;
    const kept = new Map<string, Row>();
    let lastRows: Rows = new Map();
    while (!this.#ending() && state.iteration < (crew.iterations ?? Infinity)) {
      await this.#pause(Math.min(dueMs, endMs) - performance.now());
      const nowMs = performance.now();
      // Ending is decided by the schedule, so that a user due exactly at the end does not start once more.
      if (this.#ending() || nowMs >= endMs - 1 || dueMs >= endMs) break;
      this.#meter.late(Math.max(0, nowMs - dueMs));
      const rows = await this.#deal(seat, plan, kept);
      if (!rows) break;
      state.iteration++;
      lastRows = rows;
      const { good, complete, ends } = await seat.user.iterate(rows, crew.onFailure === 'go-on' ? 'go-on' : 'next-iteration');
      if (complete) this.#meter.iteration(good);
      state.step = null;
      if (ends || (!good && crew.onFailure === 'stop-user')) break;
      if (!good && crew.onFailure === 'end-run') {
        this.send({ kind: 'end-run', reason: `User ${state.user}: ${state.lastError ?? 'a step failed'}` });
        break;
      }
      state.state = 'waiting';
      const ended = performance.now();
      // A late user goes on from now; it does not start a burst to catch up.
      dueMs = crew.pacing.kind === 'start-to-start' ? Math.max(ended, dueMs + crew.pacing.seconds * 1000) : ended;
    }
    if (state.iteration > 0 && !this.#aborted) await seat.user.end(lastRows);
    state.state = 'ended';
    await seat.driver.close();
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
    this.#meter.sample(
      crew.id,
      played.transaction,
      played.step,
      response.durationMs,
      played.failure === null,
      response.bytesIn,
      response.bytesOut,
    );
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
        activeUsers: this.#seats.filter((one) => one.state.state !== 'ended' && one.state.iteration > 0).length,
        users: this.#seats.map((one) => ({ ...one.state })),
        loopDelayMs: Math.max(0, this.#loop.max / 1e6 - 10),
      };
      this.#loop.reset();
      this.send({ kind: 'frame', frame });
    }
    this.#flushed = Math.max(this.#flushed, beforeSecond);
  }

  /** Waits, but not past a finish. */
  #pause(ms: number): Promise<void> {
    if (ms <= 0 || this.#aborted) return Promise.resolve();
    return new Promise((done) => {
      const wake = () => {
        clearTimeout(timer);
        this.#pauses.delete(wake);
        done();
      };
      const timer = setTimeout(wake, ms);
      this.#pauses.add(wake);
    });
  }

  /** At a finish those who wait between two iterations go home; an iteration keeps its remaining pauses short. */
  #wakeAll(): void {
    this.#meetings.open();
    for (const wake of [...this.#pauses]) wake();
  }
}
