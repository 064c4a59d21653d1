import { failureOf, redirectTarget, ResponseView, signOf, type AnswerText, type Header } from '@sturdy/core';
import { allHold, askChecks, readHandoffs } from '../../contract/judge-answer.js';
import { perform } from '../../contract/perform.js';
import type { AnyPlayed, Player, PlayerGround } from '../../contract/player.js';
import type { Scope } from '../../values/scope.js';
import type { NextRequest } from '../../sandbox/sandbox.js';
import type { CompiledRequest } from './compile-request.js';
import type { HttpUserDriver, WireRequest, WireResponse } from './wire.js';

/** A request that was played. */
export interface PlayedRequest extends AnyPlayed<WireResponse> {
  kind: 'http';
  request: WireRequest;
}

const decoder = new TextDecoder();

/** The last answer, as code looks at it. */
export interface LastAnswer {
  url: string;
  view: AnswerText;
}

/** The answer of a redirect that was followed, as extractors read it; empty where it was not reached. */
function viewOfHop({ hops }: WireResponse, at: number): ResponseView {
  const hop = hops[at];
  return new ResponseView(hop?.status ?? 0, hop?.headers ?? [], hop?.body ? decoder.decode(hop.body) : '');
}

/** Plays requests: fills them in, and judges their answers. */
export class HttpPlayer implements Player<CompiledRequest, PlayedRequest> {
  /** The last answer, for code. */
  last: LastAnswer | null = null;
  /** What code wants changed of the next request. */
  next: NextRequest | null = null;
  /** Where each open WebSocket leads to. */
  readonly #socketTargets = new Map<string, string>();

  constructor(
    readonly driver: HttpUserDriver,
    readonly ground: PlayerGround,
  ) {}

  /** Where a WebSocket was opened: path and query; empty where it was not. */
  targetOf(socket: string): string {
    return this.#socketTargets.get(socket) ?? '';
  }

  /** What code wants changed of what is sent next, given once. */
  takeNext(): NextRequest | null {
    const { next } = this;
    this.next = null;
    return next;
  }

  renew(): void {
    this.last = null;
    this.next = null;
  }

  async play(transaction: string, action: CompiledRequest, scope: Scope): Promise<PlayedRequest> {
    const startedAtMs = performance.now();
    const request = this.#filledIn(action, scope);
    const outcome = await perform(this.driver, request, this.ground.rules);
    const response = outcome.observation;
    let missing: string[] = [];
    let failure = outcome.failure;
    let checks = allHold;
    if (failure === null && response) {
      const view = new ResponseView(response.status, response.headers, response.body ? decoder.decode(response.body) : '');
      const location = redirectTarget(request.origin + request.target, response.hops.length > 0 ? response.hops : [response]);
      failure = failureOf(view, action.expect, location) ?? signOf(view, action.failureSigns);
      if (action.extracts.length > 0) missing = readHandoffs(action.extracts, view, scope, (hop) => viewOfHop(response, hop));
      if (this.ground.usesCode) this.last = { url: request.origin + request.target, view };
      if (this.ground.keepsAnswerOf.has(action.step)) this.ground.answers.set(action.step, view);
      if (action.checks.length > 0) {
        const answer = { view, location, bytes: response.body?.length ?? 0, durationMs: response.durationMs };
        checks = askChecks(action.checks, answer, this.ground.fill, scope);
        failure ??= checks.failures[0] ?? null;
      }
    }
    return {
      kind: 'http',
      transaction,
      step: action.step,
      startedAtMs,
      outcome,
      firstByteMs: Math.max(0, response?.timings.wait ?? 0),
      answered: response !== null && response.status !== 0,
      status: response === null || response.status === 0 ? null : response.status,
      fromCache: response?.fromCache === true,
      failure,
      checks: checks === allHold ? [] : checks.failures.map((reason) => reason.text),
      asks: checks.asks,
      missing,
      request,
    };
  }

  #filledIn(action: CompiledRequest, scope: Scope): WireRequest {
    const headers: Header[] = action.headers.map(({ name, value }) => [name, value(scope)]);
    const body = typeof action.body === 'function' ? action.body(scope) : action.body;
    const { opensSocket, expect } = action;
    const target = action.target(scope);
    if (opensSocket !== null) this.#socketTargets.set(opensSocket, target);
    const request: WireRequest = {
      method: action.method,
      origin: action.origin,
      target,
      headers,
      body,
      followRedirects: action.followRedirects,
      // A failed answer is wanted even where nothing reads it, so that it can be shown.
      keepsBody: this.ground.keepsBodies || action.readsBody || this.ground.wantsBodies() ? 'always' : expect,
    };
    // What most requests lack is added where it is: spreading it in costs more than all the rest.
    if (action.http2) request.http2 = true;
    if (opensSocket !== null) request.opensSocket = opensSocket;
    return this.next === null ? request : changed(request, this.takeNext());
  }
}

/** A request with what code changed of it. */
function changed(request: WireRequest, next: NextRequest | null): WireRequest {
  if (!next) return request;
  const names = new Set(Object.keys(next.headers).map((name) => name.toLowerCase()));
  const set = Object.entries(next.headers).flatMap(([name, value]): Header[] => (value === null ? [] : [[name, value]]));
  const target = Object.entries(next.query).reduce((text, [name, value]) => withQuery(text, name, value), request.target);
  return {
    ...request,
    target,
    headers: [...request.headers.filter(([name]) => !names.has(name.toLowerCase())), ...set],
    body: next.body ?? request.body,
  };
}

/** A target with one parameter of its query set; the others stay as they are, to the letter. */
function withQuery(target: string, name: string, value: string): string {
  const [path = '', query = ''] = target.split('?', 2);
  const newPair = `${encodeURIComponent(name)}=${encodeURIComponent(value)}`;
  const pairs = query === '' ? [] : query.split('&');
  const at = pairs.findIndex((pair) => pair.split('=')[0] === encodeURIComponent(name));
  return `${path}?${(at < 0 ? [...pairs, newPair] : pairs.with(at, newPair)).join('&')}`;
}
