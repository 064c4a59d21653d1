import { bodyKind, failureOf, headerOf, mediaType, readValue, ResponseView, type Header } from '@sturdy/core';
import type { Driver, WireRequest, WireResponse } from '../drivers/driver.js';
import type { CompiledRequest, Program, Scope } from '../program/compile.js';

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
  pause: (ms: number) => Promise<void>;
}

const decoder = new TextDecoder();

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
      let busyMs = 0;
      let bytesIn = 0;
      let bytesOut = 0;
      let transactionGood = true;
      for (const operation of transaction.operations) {
        if (this.control.stopsNow()) return { good, complete: false };
        if (operation.kind === 'pause') {
          await this.control.pause(operation.ms);
          continue;
        }
        const played = await this.#play(transaction.name, operation, scope);
        busyMs += played.response.durationMs;
        bytesIn += played.response.bytesIn;
        bytesOut += played.response.bytesOut;
        if (played.failure === null) continue;
        transactionGood = false;
        good = false;
        if (onFailure === 'next-iteration' || (this.keepsBodies && played.response.status === 0)) break;
      }
      this.observer.transaction(transaction.name, busyMs, transactionGood, bytesIn, bytesOut);
      if (!transactionGood && onFailure === 'next-iteration') break;
    }
    return { good, complete: true };
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
      failure = failureOf(view, operation.expect, headerOf(response.headers, 'location'));
      for (const { handoff, extractor } of operation.extracts) {
        const value = readValue(extractor, view, scope.random);
        if (value === undefined) missing.push(handoff);
        else scope.handoffs.set(handoff, value);
      }
    }
    const played: PlayedStep = { transaction, step: operation.step, request, response, failure, missing, startedAtMs };
    this.observer.step(played);
    return played;
  }
}
