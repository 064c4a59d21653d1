import { bodyKind, failureOf, mediaType, readValue, redirectTarget, ResponseView, signOf, type Header } from '@sturdy/core';
import type { Driver, WireRequest, WireResponse } from '../drivers/driver.js';
import type { CompiledRequest, Operation, Program, Scope } from '../program/compile.js';

/** A played request as an observer sees it. */
export interface PlayedStep {
  transaction: string;
  step: string;
  request: WireRequest;
  response: WireResponse;
  /** What went wrong, in a sentence; null where the step is good. */
  failure: string | null;
  /** Handoffs whose extractor found nothing. */
  missing: string[];
  startedAtMs: number;
}

/** Told of everything that a virtual user does; must be quick. */
export interface Observer {
  beforeStep?: (step: string) => void;
  step: (played: PlayedStep) => void;
  /** `busyMs` is the time of the requests, without pauses. */
  transaction: (name: string, busyMs: number, good: boolean, bytesIn: number, bytesOut: number) => void;
}

export type OnFailure = 'go-on' | 'next-iteration';

/** Says when to stop, and waits. */
export interface Control {
  /** True once the user shall stop between two steps. */
  stopsNow: () => boolean;
  /** Waits until the step may be sent; a rehearsal that is played step by step waits for the tester here. */
  gate?: (step: string) => Promise<void>;
  pause: (ms: number) => Promise<void>;
}

const decoder = new TextDecoder();

/** What a transaction has come to so far. */
interface TransactionState {
  name: string;
  busyMs: number;
  bytesIn: number;
  bytesOut: number;
  good: boolean;
}

/** The answer of a redirect that was followed, as extractors read it; empty where it was not reached. */
function viewOfHop({ hops }: WireResponse, at: number): ResponseView {
  const hop = hops[at];
  return new ResponseView(hop?.status ?? 0, hop?.headers ?? [], hop?.body ? decoder.decode(hop.body) : '');
}

/** One virtual user: plays its program over its driver, with its own handoffs, row and random stream. */
export class VirtualUser {
  constructor(
    readonly program: Program,
    readonly driver: Driver,
    readonly random: () => number,
    readonly observer: Observer,
    readonly control: Control,
    /** Asks for every body, for a rehearsal. */
    readonly keepsBodies = false,
  ) {}

  /** Plays the script once as a new visitor. Resolves with true where every step was good. */
  async iterate(
    rows: ReadonlyMap<string, ReadonlyMap<string, string>>,
    onFailure: OnFailure,
  ): Promise<{ good: boolean; complete: boolean }> {
    await this.driver.reset();
    const scope: Scope = { handoffs: new Map(), rows: new Map(rows), made: new Map(), random: this.random, nowMs: () => Date.now() };
    let good = true;
    for (const transaction of this.program.transactions) {
      const own: TransactionState = { name: transaction.name, busyMs: 0, bytesIn: 0, bytesOut: 0, good: true };
      const ended = await this.#playAll(transaction.operations, own, scope, onFailure);
      if (ended === 'stopped') return { good, complete: false };
      good &&= own.good;
      this.observer.transaction(own.name, own.busyMs, own.good, own.bytesIn, own.bytesOut);
      if (!own.good && onFailure === 'next-iteration') break;
    }
    return { good, complete: true };
  }

  /** Plays operations one after another. Says `left` where a failure ends the transaction, `stopped` where the user shall stop. */
  async #playAll(
    operations: readonly Operation[],
    own: TransactionState,
    scope: Scope,
    onFailure: OnFailure,
  ): Promise<'done' | 'left' | 'stopped'> {
    for (const operation of operations) {
      if (this.control.stopsNow()) return 'stopped';
      switch (operation.kind) {
        case 'pause':
          await this.control.pause(operation.ms);
          break;
        case 'repeat':
          for (let round = 0; round < operation.times; round++) {
            if (round > 0) await this.control.pause(operation.pauseMs);
            const ended = await this.#playAll(operation.operations, own, scope, onFailure);
            if (ended !== 'done') return ended;
          }
          break;
        case 'request': {
          if (await this.#heldBack(operation.step)) return 'stopped';
          const played = await this.#play(own.name, operation, scope);
          own.busyMs += played.response.durationMs;
          if (this.#counts(played, own, onFailure)) return 'left';
          break;
        }
        case 'side-by-side': {
          if (await this.#heldBack(operation.requests[0]?.step ?? '')) return 'stopped';
          const started = performance.now();
          const played = await Promise.all(operation.requests.map((one) => this.#play(own.name, one, scope)));
          // What ran at the same time is waited for once.
          own.busyMs += performance.now() - started;
          if (played.map((one) => this.#counts(one, own, onFailure)).includes(true)) return 'left';
        }
      }
    }
    return 'done';
  }

  /** Waits at the gate, where there is one; true where the user shall stop instead of going on. */
  async #heldBack(step: string): Promise<boolean> {
    if (!this.control.gate) return false;
    await this.control.gate(step);
    return this.control.stopsNow();
  }

  /** Counts a played request into its transaction; true where it ends the transaction. */
  #counts({ response, failure }: PlayedStep, own: TransactionState, onFailure: OnFailure): boolean {
    own.bytesIn += response.bytesIn;
    own.bytesOut += response.bytesOut;
    if (failure === null) return false;
    own.good = false;
    return onFailure === 'next-iteration' || (this.keepsBodies && response.status === 0);
  }

  async #play(transaction: string, operation: CompiledRequest, scope: Scope): Promise<PlayedStep> {
    this.observer.beforeStep?.(operation.step);
    const startedAtMs = performance.now();
    const headers: Header[] = operation.headers.map(({ name, value }) => [name, value(scope)]);
    const body = typeof operation.body === 'function' ? operation.body(scope) : operation.body;
    const request: WireRequest = {
      method: operation.method,
      origin: operation.origin,
      target: operation.target(scope),
      headers,
      body,
      followRedirects: operation.followRedirects,
      // A failed answer is wanted even where nothing reads it, so that it can be shown.
      wantsBody: (status, headers) =>
        this.keepsBodies ||
        operation.readsBody ||
        !operation.expect.statuses.includes(status) ||
        (operation.expect.content !== null && bodyKind(mediaType(headers)) !== operation.expect.content),
    };
    const response = await this.driver.send(request);
    const missing: string[] = [];
    let failure = response.failure;
    if (failure === null) {
      const view = new ResponseView(response.status, response.headers, response.body ? decoder.decode(response.body) : '');
      failure =
        failureOf(
          view,
          operation.expect,
          redirectTarget(request.origin + request.target, response.hops.length > 0 ? response.hops : [response]),
        ) ?? signOf(view, operation.failureSigns);
      for (const { handoff, extractor, hop, fill } of operation.extracts) {
        const value = readValue(extractor, hop === undefined ? view : viewOfHop(response, hop), scope.random, fill && (() => fill(scope)));
        if (value === undefined) missing.push(handoff);
        else scope.handoffs.set(handoff, value);
      }
    }
    const played: PlayedStep = { transaction, step: operation.step, request, response, failure, missing, startedAtMs };
    this.observer.step(played);
    return played;
  }
}
