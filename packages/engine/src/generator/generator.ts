import { SampleBook, type Frame, type UserState } from '@sturdy/core';
import seedrandom from 'seedrandom';
import { Ceilings } from '../contract/ceilings.js';
import { driverSource } from '../drivers/kinds.js';
import type { Control, Observer } from '../play/virtual-user.js';
import { compile, type Program } from '../program/compile.js';
import type { FromGenerator, Plan, ToGenerator } from './messages.js';
import { Meetings } from './meetings.js';
import { Meter } from './meter.js';
import { PlanAssembly, type CompletePlan } from './plan-assembly.js';
import { Reporter } from './reporter.js';
import { RowDeals } from './row-deals.js';
import { RunPlay } from './run-play.js';
import { hasChanged, makeSeat, type EmptySeat } from './seat.js';
import { codeThreads } from '../sandbox/code-threads.js';
import { SelfWatch } from './self-watch.js';
import { Schedule } from './schedule.js';

/** Plays the virtual users of one plan and sends a frame each second. Knows its transport only by `send`. */
export class Generator {
  readonly #assembly: PlanAssembly;
  #plan: Plan | null = null;
  /** What users do; null until the plan is prepared. */
  #play: RunPlay | null = null;
  readonly #schedule = new Schedule();
  readonly #meter = new Meter(() => this.#schedule.second());
  readonly #reporter = new Reporter(this.#meter, this.#schedule, () => this.#samples);
  #samples: SampleBook | null = null;
  #rows: RowDeals | null = null;
  #meetings: Meetings | null = null;
  #ceilings = new Ceilings();
  /** Seconds before this one were sent. */
  #flushed = 0;
  #timer: NodeJS.Timeout | null = null;
  readonly #self = new SelfWatch();

  constructor(readonly send: (message: FromGenerator) => void) {
    this.#assembly = new PlanAssembly(send);
  }

  /** Takes in a message of the conductor. */
  receive(message: ToGenerator): void {
    switch (message.kind) {
      case 'plan':
      case 'body':
      case 'secret':
        void this.#take(message);
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
        this.#reporter.watched = new Map(message.users.map((user) => [user.user, user.captures]));
        break;
      case 'skip':
        this.#play?.skip(message.seconds);
        break;
      case 'rows':
        this.#rows?.arrive(message.table, message.rows, message.more);
        break;
      case 'pause':
        this.#play?.pause();
        break;
      case 'resume':
        this.#play?.goOn();
        break;
      case 'users':
        this.#play?.changeUsers(message);
        break;
      case 'finish':
        this.#meetings?.open();
        this.#play?.finish();
        break;
      case 'abort':
        this.#meetings?.open();
        this.#play?.abort();
        // Who has not begun has come to its end.
        if (!this.#timer) this.send({ kind: 'ended' });
        break;
    }
  }

  /** Takes in a part of the plan, and prepares it with the last one. */
  async #take(message: Extract<ToGenerator, { kind: 'plan' | 'body' | 'secret' }>): Promise<void> {
    try {
      const complete = await this.#assembly.take(message);
      if (!complete) return;
      this.#prepare(complete);
      this.send({ kind: 'ready' });
    } catch (error) {
      this.send({ kind: 'fault', message: error instanceof Error ? error.message : 'The plan could not be prepared.' });
    }
  }

  #prepare({ plan, environment, files }: CompletePlan): void {
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
    this.#ceilings = new Ceilings(plan.generators);
    const driversFor = driverSource(environment, this.#ceilings);
    const dealtPerUse = new Set(plan.tables.filter((table) => table.deal.when === 'use').map((table) => table.table));
    const rows = new RowDeals(plan, this.send, (crew, table) => {
      this.#meter.dealt(crew, table);
    });
    this.#rows = rows;
    const programs = new Map<string, Program>();
    for (const { crew } of plan.crews) {
      const script = plan.scripts.find(({ id }) => id === crew.scriptId);
      if (!script) throw new Error(`The crew “${crew.name}” plays a script that the plan does not hold.`);
      const program = compile(script, environment, {
        ...(crew.timeouts && { timeouts: crew.timeouts }),
        think: crew.think,
        readFile: (hash) => files.get(hash),
        dealtPerUse,
        filesSideBySide: crew.browser?.filesSideBySide ?? false,
        shownSigns: plan.shownSigns?.[script.id],
      });
      if (program.usesCode) codeThreads.warmUp();
      programs.set(crew.id, program);
    }
    this.#play = new RunPlay({
      plan,
      schedule: this.#schedule,
      meter: this.#meter,
      rows,
      programs,
      makeSeat: (seating) =>
        makeSeat(seating, plan.seed, driversFor, (seat) => ({
          observer: this.#observerOf(seat),
          control: this.#controlOf(seat, plan, rows, meetings),
        })),
      send: this.send,
    });
  }

  #observerOf(seat: EmptySeat): Observer {
    const { crew, state } = seat;
    return {
      beforeStep: (step) => {
        state.state = 'working';
        state.step = step;
      },
      step: (played) => {
        if (!seat.cut && !this.#play?.isAborted) this.#reporter.played(crew, state, played);
      },
      failed: ({ transaction, step, failure }) => {
        if (!seat.cut && !this.#play?.isAborted) this.#reporter.failed(crew, state, transaction, step, failure);
      },
      transaction: (name, busyMs, good, traffic) => {
        seat.busyMs += busyMs;
        if (!seat.cut) this.#meter.sample(crew.id, name, null, busyMs, good, traffic);
      },
    };
  }

  #controlOf(seat: EmptySeat, plan: Plan, rows: RowDeals, meetings: Meetings): Control {
    const { crew, state } = seat;
    return {
      stopsNow: () =>
        this.#play?.isAborted === true ||
        seat.cut ||
        (plan.curve.atEnd === 'step' && (this.#play?.isFinishing === true || performance.now() >= this.#schedule.at(seat.endSeconds))),
      pause: async (ms) => {
        state.state = 'thinking';
        await this.#schedule.pause(ms);
      },
      meet: (step, count, atMostMs) => {
        state.state = 'waiting';
        return meetings.meet(step, count, atMostMs);
      },
      wantsBodies: () => this.#reporter.watched.get(state.user) ?? false,
      deal: async (table) => {
        const row = await rows.next(table, crew, state);
        if (row) seat.usedRows.push(...rows.placesOf(new Map([[table, row]])));
        return row;
      },
      listed: (table) => rows.listed(table),
      // The system under test remembers ids of earlier runs, so a run that is repeated must not send them again.
      fresh: seedrandom(`${plan.seed}:${plan.runId}:${state.user}`),
    };
  }

  async #start(atMs: number): Promise<void> {
    const play = this.#play;
    if (!play || this.#timer) return;
    this.#schedule.begin(atMs - performance.timeOrigin);
    this.#self.start();
    this.#timer = setInterval(() => {
      this.#flush(this.#schedule.second());
    }, 250);
    await play.toEnd();
    clearInterval(this.#timer);
    this.#flush(this.#schedule.second() + 1);
    this.#self.stop();
    // After a normal end the rows that nobody got are given back; after an abort all that was leased counts as spent.
    if (!play.isAborted) await this.#rows?.giveBack();
    this.send({ kind: 'ended' });
  }

  /** The states of users that are not as they were told last: of thousands only a few change within a second. */
  #changed(): UserState[] {
    return (this.#play?.seats ?? []).filter(hasChanged).map((seat) => (seat.lastTold = { ...seat.state }));
  }

  #flush(beforeSecond: number): void {
    for (const taken of this.#meter.take(this.#flushed, beforeSecond)) {
      const frame: Frame = {
        version: 1,
        generator: this.#plan?.generator ?? 0,
        ...taken,
        activeUsers: (this.#play?.seats ?? []).filter(({ active }) => active).length,
        users: this.#changed(),
        ...this.#self.take(),
      };
      this.send({ kind: 'frame', frame });
    }
    if (beforeSecond > this.#flushed) {
      const batch = this.#samples?.take();
      if (batch) this.send({ kind: 'samples', batch });
    }
    for (const heldBack of this.#ceilings.takeHeldBack()) this.send({ kind: 'held-back', ...heldBack });
    const entries = this.#reporter.takeLog();
    if (entries.length > 0) this.send({ kind: 'log', entries });
    this.#flushed = Math.max(this.#flushed, beforeSecond);
  }
}
