import { allMatches, failureReason, type AnswerText, type FailureReason } from '@sturdy/core';
import {
  allDrivers,
  allPlayers,
  playAction,
  playersFor,
  type CompiledAction,
  type Drivers,
  type PlayedStep,
  type Players,
} from '../drivers/kinds.js';
import type { CompiledLoop, CompiledTransaction, Operation, Program } from '../program/compile.js';
import type { Scope } from '../values/scope.js';
import { codeThreads } from '../sandbox/code-threads.js';
import { answerForCode, CodeError } from '../sandbox/sandbox.js';

/** Told of everything that a virtual user does; must be quick. */
export interface Observer {
  beforeStep?: (step: string) => void;
  step: (played: PlayedStep) => void;
  /** A step that sends nothing said something. */
  log?: (note: { transaction: string; step: string; text: string }) => void;
  /** A step that sends nothing failed. */
  failed?: (note: { transaction: string; step: string; failure: FailureReason }) => void;
  /** Steps that were passed over, because a condition did not hold. */
  skipped?: (steps: readonly string[]) => void;
  /** `busyMs` is the time of the requests, without pauses. */
  transaction: (name: string, busyMs: number, good: boolean, traffic: Traffic) => void;
}

export type OnFailure = 'go-on' | 'next-iteration';

/** Says when to stop, and waits. */
export interface Control {
  /** True once the user shall stop between two steps. */
  stopsNow: () => boolean;
  /** Waits until the step may be sent; a rehearsal that is played step by step waits for the tester here. */
  gate?: (step: string) => Promise<void>;
  pause: (ms: number) => Promise<void>;
  /** Waits at a meeting point; absent where one user plays alone. */
  meet?: (step: string, users: number, atMostMs: number) => Promise<void>;
  /** Whether bodies are wanted that nothing reads, because somebody looks at them. */
  wantsBodies?: () => boolean;
  /** The next row of a table; null where there is none left, as where nothing deals. */
  deal?: (table: string) => Promise<Row | null>;
  /** All rows of a table that a loop goes through; null where each round is dealt a row of its own. */
  listed?: (table: string) => readonly Row[] | null;
  /** Random numbers for values that the client invents, which no two runs may have alike; the user's own stream where it is absent. */
  fresh?: () => number;
}

/** A row of a data table, each column by its name. */
export type Row = ReadonlyMap<string, string>;
/** Rows by their table. */
export type Rows = ReadonlyMap<string, Row>;

/** How playing some operations ended. */
type Ending = 'done' | 'left' | 'stopped' | 'user-ends';

/** What a transaction has come to so far. */
interface TransactionState {
  name: string;
  busyMs: number;
  traffic: Traffic;
  good: boolean;
}

/** The actions among operations, those in containers too. */
const actionsIn = (operations: readonly Operation[]): string[] =>
  operations.flatMap((operation) =>
    operation.kind === 'action'
      ? [operation.action.step]
      : operation.kind === 'side-by-side'
        ? operation.actions.map(({ step }) => step)
        : 'operations' in operation
          ? actionsIn(operation.operations)
          : [],
  );

/** What went over the line, and the ms to the first byte of an answer. */
export interface Traffic {
  bytesIn: number;
  bytesOut: number;
  firstByteMs: number;
}
export const trafficOf = ({ outcome: { bytesIn, bytesOut }, firstByteMs }: PlayedStep): Traffic => ({ bytesIn, bytesOut, firstByteMs });

/** One virtual user: plays its program over its drivers, with its own handoffs, row and random stream. */
export class VirtualUser {
  /** What was read last by a user that stays signed in; each iteration goes on with it, as a rotating value does. */
  #handoffs: ReadonlyMap<string, string> = new Map();
  /** Variables stay set from one iteration to the next. */
  readonly #variables = new Map<string, string>();
  #begun = false;
  readonly #drivers: ReturnType<typeof allDrivers>;
  readonly #players: Players;
  /** The last answers of the steps that are looked at again later. */
  readonly #answers = new Map<string, AnswerText>();

  constructor(
    readonly program: Program,
    readonly drivers: Drivers,
    readonly random: () => number,
    readonly observer: Observer,
    readonly control: Control,
    /** Asks for every body, for a rehearsal. */
    readonly keepsBodies = false,
  ) {
    this.#drivers = allDrivers(drivers);
    const { rules, fill, usesCode, keepsAnswerOf } = program;
    this.#players = playersFor(drivers, {
      rules,
      fill,
      usesCode,
      keepsAnswerOf,
      answers: this.#answers,
      keepsBodies,
      wantsBodies: () => control.wantsBodies?.() === true,
    });
  }

  #scope(rows: Rows): Scope {
    return {
      handoffs: new Map(this.#handoffs),
      rows: new Map(rows),
      made: new Map(),
      variables: this.#variables,
      random: this.random,
      fresh: this.control.fresh ?? this.random,
      nowMs: () => Date.now(),
    };
  }

  /**
   * Plays the script once: as a new visitor, or, where the script has a part that is played before all iterations, as the one who has
   * done that. `good` where every step was good, `ends` where a check asks that the user plays no more.
   */
  async iterate(rows: Rows, onFailure: OnFailure): Promise<{ good: boolean; complete: boolean; ends: boolean }> {
    const { before, transactions } = this.program;
    for (const driver of this.#drivers) driver.newIteration?.();
    if (before.length === 0 || !this.#begun) {
      await Promise.all(this.#drivers.map((driver) => driver.reset()));
      this.#handoffs = new Map();
    }
    if (before.length > 0 && !this.#begun) {
      const scope = this.#scope(rows);
      const begun = await this.#transactions(before, scope, onFailure);
      this.#begun = begun.complete && (begun.good || onFailure === 'go-on');
      // Who could not sign in has nothing to iterate; it is tried again next time.
      if (!this.#begun || begun.ends) return begun;
      this.#handoffs = scope.handoffs;
    }
    const scope = this.#scope(rows);
    const played = await this.#transactions(transactions, scope, onFailure);
    if (before.length > 0 || this.program.after.length > 0) this.#handoffs = scope.handoffs;
    return played;
  }

  /** Makes a new visitor of it, who knows nothing of what was before. */
  renew(): void {
    this.#begun = false;
    this.#handoffs = new Map();
    this.#variables.clear();
    this.#answers.clear();
    for (const player of allPlayers(this.#players)) player.renew();
  }

  /** Closes its connections. */
  async close(): Promise<void> {
    await Promise.all(this.#drivers.map((driver) => driver.close()));
  }

  /** Plays what comes once after the last iteration. */
  async end(rows: Rows): Promise<void> {
    if (this.program.after.length > 0 && (this.#begun || this.program.before.length === 0))
      await this.#transactions(this.program.after, this.#scope(rows), 'go-on');
  }

  async #transactions(
    transactions: readonly CompiledTransaction[],
    scope: Scope,
    onFailure: OnFailure,
  ): Promise<{ good: boolean; complete: boolean; ends: boolean }> {
    let good = true;
    for (const transaction of transactions) {
      const state: TransactionState = {
        name: transaction.name,
        busyMs: 0,
        traffic: { bytesIn: 0, bytesOut: 0, firstByteMs: 0 },
        good: true,
      };
      const ended = await this.#playAll(transaction.operations, state, scope, onFailure);
      if (ended === 'stopped') return { good, complete: false, ends: false };
      good &&= state.good;
      this.observer.transaction(state.name, state.busyMs, state.good, state.traffic);
      if (ended === 'user-ends') return { good, complete: true, ends: true };
      if (ended === 'left') break;
    }
    return { good, complete: true, ends: false };
  }

  /**
   * Plays operations one after another. Says `left` where a failure ends the iteration, `stopped` where the user shall stop now,
   * `user-ends` where a check asks that it plays no more.
   */
  async #playAll(operations: readonly Operation[], state: TransactionState, scope: Scope, onFailure: OnFailure): Promise<Ending> {
    for (const operation of operations) {
      if (this.control.stopsNow()) return 'stopped';
      const ended = await this.#operation(operation, state, scope, onFailure);
      if (ended !== 'done') return ended;
    }
    return 'done';
  }

  async #operation(operation: Operation, state: TransactionState, scope: Scope, onFailure: OnFailure): Promise<Ending> {
    switch (operation.kind) {
      case 'pause':
        await this.control.pause(operation.ms(scope.random));
        return 'done';
      case 'repeat':
        return this.#repeat(operation, state, scope, onFailure);
      case 'when':
        if (this.#asked(state, operation.step, () => operation.holds(scope), onFailure))
          return this.#playAll(operation.operations, state, scope, onFailure);
        this.observer.skipped?.(actionsIn(operation.operations));
        return 'done';
      case 'log':
        this.observer.log?.({ transaction: state.name, step: operation.step, text: operation.text(scope) });
        return 'done';
      case 'variable':
        scope.variables.set(operation.name, operation.value(scope));
        return 'done';
      case 'cookie':
        this.#cookie(operation, scope);
        return 'done';
      case 'code':
        return this.#code(operation, state, scope, onFailure);
      case 'meet':
        await this.control.meet?.(operation.step, operation.users, operation.atMostMs);
        return 'done';
      case 'action': {
        const { action } = operation;
        // Nothing is waited for where there is nothing to wait for: thousands of requests a second come by here.
        if (this.control.gate && (await this.#heldBack(this.control.gate, action.step))) return 'stopped';
        if (action.fresh.length > 0 && !(await this.#dealFresh(action, scope))) return 'user-ends';
        // The same as `#play`, without the promise of one more call.
        this.observer.beforeStep?.(action.step);
        const played = await playAction(this.#players, state.name, action, scope);
        this.observer.step(played);
        state.busyMs += played.outcome.durationMs;
        return this.#counts(played, state, onFailure);
      }
      case 'side-by-side': {
        if (this.control.gate && (await this.#heldBack(this.control.gate, operation.actions[0]?.step ?? ''))) return 'stopped';
        const started = performance.now();
        const playing: Promise<PlayedStep>[] = [];
        for (const action of operation.actions) {
          if (!(await this.#dealFresh(action, scope))) break;
          // What it sends is put together before anything is waited for, so each has the row that it was dealt.
          playing.push(this.#play(state.name, action, scope));
        }
        const played = await Promise.all(playing);
        // What ran at the same time is waited for once.
        state.busyMs += performance.now() - started;
        const endings = played.map((step) => this.#counts(step, state, onFailure));
        if (played.length < operation.actions.length) return 'user-ends';
        return endings.includes('user-ends') ? 'user-ends' : endings.includes('left') ? 'left' : 'done';
      }
    }
  }

  async #repeat(
    operation: Extract<Operation, { kind: 'repeat' }>,
    state: TransactionState,
    scope: Scope,
    onFailure: OnFailure,
  ): Promise<Ending> {
    const { loop } = operation;
    const matches = loop?.kind === 'each-match' ? this.#matchesOf(loop, scope) : null;
    const listed = loop?.kind === 'each-row' ? (this.control.listed?.(loop.table) ?? null) : null;
    const most = Math.min((matches ?? listed)?.length ?? operation.times, operation.times);
    let rounds = 0;
    for (; rounds < most; rounds++) {
      if (loop?.kind === 'while' && !this.#asked(state, operation.step, () => loop.holds(scope), onFailure)) break;
      if (loop?.kind === 'each-match') scope.variables.set(loop.variable, matches?.[rounds] ?? '');
      if (loop?.kind === 'each-row') {
        const row = listed ? listed[rounds] : await this.control.deal?.(loop.table);
        if (!row) break;
        scope.rows.set(loop.table, row);
      }
      if (rounds > 0) await this.control.pause(operation.pauseMs);
      const ended = await this.#playAll(operation.operations, state, scope, onFailure);
      if (ended !== 'done') return ended;
    }
    if (rounds === 0) this.observer.skipped?.(actionsIn(operation.operations));
    return 'done';
  }

  #matchesOf(loop: Extract<CompiledLoop, { kind: 'each-match' }>, scope: Scope): string[] {
    const view = this.#answers.get(loop.step);
    return view ? allMatches(loop.extractor, view, (template) => loop.fill(template, scope)) : [];
  }

  /** Asks a condition; one that cannot be asked fails its step and does not hold. */
  #asked(state: TransactionState, step: string, ask: () => boolean, onFailure: OnFailure): boolean {
    try {
      return ask();
    } catch (error) {
      const text = `Its condition cannot be asked: ${error instanceof Error ? error.message : String(error)}`;
      this.#failed(state, step, failureReason('condition-invalid', text), onFailure);
      return false;
    }
  }

  #failed(state: TransactionState, step: string, failure: FailureReason, onFailure: OnFailure): Ending {
    state.good = false;
    this.observer.failed?.({ transaction: state.name, step, failure });
    return onFailure === 'next-iteration' ? 'left' : 'done';
  }

  #cookie({ action, origin, name, value }: Extract<Operation, { kind: 'cookie' }>, scope: Scope): void {
    if (action === 'set') this.drivers.http?.setCookie(origin, name, value(scope));
    else if (action === 'delete') this.drivers.http?.deleteCookie(origin, name);
    else scope.variables.set(value(scope) || name, this.drivers.http?.cookie(origin, name) ?? '');
  }

  async #code(
    operation: Extract<Operation, { kind: 'code' }>,
    state: TransactionState,
    scope: Scope,
    onFailure: OnFailure,
  ): Promise<Ending> {
    const http = this.#players.http;
    try {
      const { variables, next, log } = await codeThreads.run(
        operation.source,
        {
          answer: answerForCode(http?.last?.url ?? '', http?.last?.view),
          variables: Object.fromEntries(scope.variables),
          handoffs: Object.fromEntries([...scope.handoffs].map(([id, value]) => [this.program.handoffNames.get(id) ?? id, value])),
          row: Object.fromEntries([...scope.rows.values()].flatMap((row) => [...row])),
          nowMs: scope.nowMs(),
          random: scope.random(),
        },
        operation.limits,
      );
      for (const [name, value] of Object.entries(variables)) scope.variables.set(name, value);
      if (http) http.next = next;
      for (const text of log) this.observer.log?.({ transaction: state.name, step: operation.step, text });
      return 'done';
    } catch (error) {
      if (!(error instanceof CodeError)) throw error;
      const failure = failureReason('code-failed', `The code “${operation.name}” failed. ${error.message}`);
      return this.#failed(state, operation.step, failure, onFailure);
    }
  }

  /** Deals the rows that an action takes anew; false where a table has none left. */
  async #dealFresh({ fresh }: CompiledAction, scope: Scope): Promise<boolean> {
    for (const table of fresh) {
      const row = await this.control.deal?.(table);
      if (!row) return false;
      scope.rows.set(table, row);
    }
    return true;
  }

  /** Waits at the gate; true where the user shall stop instead of going on. */
  async #heldBack(gate: NonNullable<Control['gate']>, step: string): Promise<boolean> {
    await gate(step);
    return this.control.stopsNow();
  }

  /** Counts a played action into its transaction, and says whether it ends the iteration or the user. */
  #counts(played: PlayedStep, state: TransactionState, onFailure: OnFailure): Ending {
    const { failure, asks } = played;
    const { bytesIn, bytesOut, firstByteMs } = trafficOf(played);
    state.traffic.bytesIn += bytesIn;
    state.traffic.bytesOut += bytesOut;
    state.traffic.firstByteMs += firstByteMs;
    if (failure === null) return 'done';
    state.good = false;
    // A rehearsal shows what all steps do, whatever a check asks for in a run.
    if (this.keepsBodies) return played.answered ? 'done' : 'left';
    if (asks === 'stop-user') return 'user-ends';
    return onFailure === 'next-iteration' || asks === 'next-iteration' ? 'left' : 'done';
  }

  async #play(transaction: string, action: CompiledAction, scope: Scope): Promise<PlayedStep> {
    this.observer.beforeStep?.(action.step);
    const played = await playAction(this.#players, transaction, action, scope);
    this.observer.step(played);
    return played;
  }
}
