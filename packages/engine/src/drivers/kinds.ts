import type { ActionStep, BodyRef, CapturedStep, Crew, Environment, Step } from '@sturdy/core';
import { Ceilings } from '../contract/ceilings.js';
import type { CompileContext } from '../contract/compile-context.js';
import type { Driver } from '../contract/driver.js';
import type { PlayerGround } from '../contract/player.js';
import { rulesFor } from '../contract/rules.js';
import type { Scope } from '../values/scope.js';
import { CachedDriver } from './http/cached-driver.js';
import { captureRequest } from './http/capture-request.js';
import { compileRequest, withFilesTogether, type CompiledRequest } from './http/compile-request.js';
import { compileMessage, type CompiledMessage } from './http/compile-message.js';
import { HttpDriver } from './http/http-driver.js';
import { optionsFor } from './http/http-driver-options.js';
import { HttpPlayer, type PlayedRequest } from './http/http-player.js';
import { captureMessage, MessagePlayer, type PlayedMessage } from './http/message-player.js';
import { TargetTls } from './http/target-tls.js';
import type { HttpUserDriver } from './http/wire.js';
import { compileLine, type CompiledLine } from './line/compile-line.js';
import { LineDriver, type LineAction, type LineObservation } from './line/line-driver.js';
import { captureLine, LinePlayer, type PlayedLine } from './line/line-player.js';

export type CompiledAction = CompiledRequest | CompiledMessage | CompiledLine;
/** The kinds of drivers; steps of several kinds may be played over one. */
export type ActionKindName = CompiledAction['kind'];
/** A played action as an observer sees it. */
export type PlayedStep = PlayedRequest | PlayedMessage | PlayedLine;

/** The drivers of one virtual user, by kind; one that its script does not use is absent. Messages go over the WebSockets that HTTP opened. */
export interface Drivers {
  http?: HttpUserDriver;
  line?: Driver<LineAction, LineObservation>;
}

/** The players of one virtual user, over its drivers. */
export interface Players {
  http?: HttpPlayer;
  message?: MessagePlayer;
  line?: LinePlayer;
}

/** Compiles a step that acts. Throws `CompileError` where it cannot be played. */
export function compileAction(step: ActionStep, context: CompileContext): CompiledAction {
  switch (step.kind) {
    case 'request':
      return compileRequest(step, context);
    case 'message':
      return compileMessage(step, context);
    case 'line':
      return compileLine(step, context);
  }
}

/** Steps as a browser would play them: files that follow each other at the same time. A file from which something is read keeps its place. */
export const asBrowsersPlay = (steps: readonly Step[], readFrom: ReadonlySet<string>): Step[] => withFilesTogether(steps, readFrom);

/** Makes the drivers of one virtual user. */
export type DriverSource = (kinds: ReadonlySet<ActionKindName>, crew?: Pick<Crew, 'line' | 'browser' | 'timeouts'>) => Drivers;

/** Makes drivers for an environment; what is costly, such as its authorities, is read once for all users, and they share its ceilings. */
export function driverSource(environment: Environment, ceilings = new Ceilings()): DriverSource {
  const tls = new TargetTls(environment);
  return (kinds, crew = {}) => {
    const drivers: Drivers = {};
    if (kinds.has('http') || kinds.has('message')) {
      const driver = new HttpDriver(optionsFor(environment, tls, crew, ceilings));
      const cache = crew.browser?.cache ?? 'off';
      drivers.http = cache === 'off' ? driver : new CachedDriver(driver, cache === 'cold');
    }
    if (kinds.has('line')) drivers.line = new LineDriver(rulesFor(environment, crew), ceilings);
    return drivers;
  };
}

/** All drivers of one virtual user. */
export const allDrivers = ({ http, line }: Drivers): Pick<Driver, 'newIteration' | 'reset' | 'close'>[] => [
  ...(http ? [http] : []),
  ...(line ? [line] : []),
];

/** The players of one virtual user, over its drivers. */
export function playersFor({ http, line }: Drivers, ground: PlayerGround): Players {
  const requests = http && new HttpPlayer(http, ground);
  return {
    ...(requests && { http: requests, message: new MessagePlayer(http.messages, ground, requests) }),
    ...(line && { line: new LinePlayer(line, ground) }),
  };
}

/** All players of one virtual user. */
export const allPlayers = ({ http, message, line }: Players): { renew: () => void }[] => [
  ...(http ? [http] : []),
  ...(message ? [message] : []),
  ...(line ? [line] : []),
];

/** Has an action played by the player of its kind. Throws where the user has none. */
export function playAction(players: Players, transaction: string, action: CompiledAction, scope: Scope): Promise<PlayedStep> {
  switch (action.kind) {
    case 'http':
      return players.http?.play(transaction, action, scope) ?? noPlayer(action);
    case 'message':
      return players.message?.play(transaction, action, scope) ?? noPlayer(action);
    case 'line':
      return players.line?.play(transaction, action, scope) ?? noPlayer(action);
  }
}

const noPlayer = ({ kind, step }: CompiledAction): never => {
  throw new Error(`There is no driver for the ${kind} step ${step}.`);
};

/** A played action as it is stored; bodies go to `put`, which gives their references. */
export function capture(played: PlayedStep, zeroMs: number, put: (bytes: Uint8Array, mimeType: string) => BodyRef): CapturedStep {
  switch (played.kind) {
    case 'http':
      return captureRequest(played, zeroMs, put);
    case 'message':
      return captureMessage(played, zeroMs, put);
    case 'line':
      return captureLine(played, zeroMs);
  }
}

/** What a played action sent and what it got, as far as that is text or can be shown as such. */
export function textsOf(played: PlayedStep): { sent: string | Uint8Array | null; answer: string | Uint8Array | null } {
  switch (played.kind) {
    case 'http':
      return { sent: played.request.body, answer: played.outcome.observation?.body ?? null };
    case 'message':
      return { sent: played.message.body, answer: played.outcome.observation?.answer?.bytes ?? null };
    case 'line':
      return { sent: played.action.send, answer: played.outcome.observation?.answer ?? null };
  }
}
