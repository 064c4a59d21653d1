import type { BodyRef, CapturedStep, Crew, Environment, RequestStep, Step } from '@sturdy/core';
import type { PlayerGround } from '../contract/player.js';
import type { CompileContext } from '../contract/compile-context.js';
import type { Driver } from '../contract/driver.js';
import { CachedDriver } from './http/cached-driver.js';
import { captureRequest } from './http/capture-request.js';
import { compileRequest, withFilesTogether, type CompiledRequest } from './http/compile-request.js';
import { HttpDriver, optionsFor } from './http/http-driver.js';
import { HttpPlayer, type PlayedRequest } from './http/http-player.js';
import { TargetTls } from './http/target-tls.js';
import type { HttpUserDriver } from './http/wire.js';

/** The steps that act on an application; each kind has a driver. */
export type ActionStep = RequestStep;
export type CompiledAction = CompiledRequest;
export type ActionKind = CompiledAction['kind'];
/** A played action as an observer sees it. */
export type PlayedStep = PlayedRequest;

/** The drivers of one virtual user, by kind; one that its script does not use is absent. */
export interface Drivers {
  http?: HttpUserDriver;
}

/** The players of one virtual user, over its drivers. */
export interface Players {
  http?: HttpPlayer;
}

/** Compiles a step that acts. Throws `CompileError` where it cannot be played. */
export const compileAction = (step: ActionStep, context: CompileContext): CompiledAction => compileRequest(step, context);

/** Steps as a browser would play them: files that follow each other at the same time. A file from which something is read keeps its place. */
export const asBrowsersPlay = (steps: readonly Step[], readFrom: ReadonlySet<string>): Step[] => withFilesTogether(steps, readFrom);

/** Makes the drivers of one virtual user. */
export type DriverSource = (kinds: ReadonlySet<ActionKind>, crew?: Pick<Crew, 'line' | 'browser' | 'timeouts'>) => Drivers;

/** Makes drivers for an environment; what is costly, such as its authorities, is read once for all users. */
export function driverSource(environment: Environment): DriverSource {
  const tls = new TargetTls(environment);
  return (kinds, crew = {}) => {
    const drivers: Drivers = {};
    if (kinds.has('http')) {
      const driver = new HttpDriver(optionsFor(environment, tls, crew));
      const cache = crew.browser?.cache ?? 'off';
      drivers.http = cache === 'off' ? driver : new CachedDriver(driver, cache === 'cold');
    }
    return drivers;
  };
}

/** All drivers of one virtual user. */
export const allDrivers = (drivers: Drivers): Pick<Driver, 'newIteration' | 'reset' | 'close'>[] => (drivers.http ? [drivers.http] : []);

export function playersFor({ http }: Drivers, ground: PlayerGround): Players {
  return { ...(http && { http: new HttpPlayer(http, ground) }) };
}

/** A played step as it is stored; bodies go to `put`, which gives their references. */
export const capture = (played: PlayedStep, zeroMs: number, put: (bytes: Uint8Array, mimeType: string) => BodyRef): CapturedStep =>
  captureRequest(played, zeroMs, put);
