import { isLoopback, type Crew, type Environment, type FailureReason, type Header } from '@sturdy/core';
import { Ceilings } from '../../contract/ceilings.js';
import { refusalOf, rulesFor } from '../../contract/rules.js';
import type { Lookup } from '../../net/guarded-lookup.js';
import { UserLine } from './line.js';
import type { TargetTls } from './target-tls.js';

/** What the HTTP driver of one virtual user is made with. */
export interface HttpDriverOptions {
  /** ms until a connection must stand. */
  connectLimitMs?: number;
  /** ms from the start of a request to its last byte. */
  answerLimitMs?: number;
  /** ms from the start of a request to the first byte of its answer; absent where the last byte alone counts. */
  firstByteLimitMs?: number;
  /** Bodies above this many bytes are cut. */
  bodyLimitBytes?: number;
  /** Why nothing may be sent to an origin; null where it may. Asked for redirects too. */
  refuses: (origin: string) => FailureReason | null;
  /** IP addresses to which a target that is not this machine may lead; none where it is absent. */
  addressesOf?: (origin: string) => readonly string[];
  /** Looks names up; the way of this machine where it is absent. */
  lookup?: Lookup;
  /** Takes the next turn for an exchange with an origin under its ceiling; ms to wait for it. None waits where it is absent. */
  turnInMs?: (origin: string) => number;
  /** Connections to one origin at a time, at the most. */
  connections?: number;
  /** Headers that stand for those of the same name. */
  headers?: readonly Header[];
  /** The line that all connections of the user share. */
  line?: UserLine;
  /** How connections sign in to a target, and the proxy before it. */
  connection?: Pick<Environment, 'credentials' | 'upstreamProxy'> & { tls: TargetTls };
}

/** What a driver needs to know of an environment, and of a crew. TLS contexts are shared by all users that are given the same `TargetTls`. */
export function optionsFor(
  environment: Environment,
  tls: TargetTls,
  crew: Pick<Crew, 'line' | 'browser' | 'timeouts'> = {},
  ceilings = new Ceilings(),
): HttpDriverOptions {
  const { line, browser } = crew;
  const rules = rulesFor(environment, crew);
  const { limits } = rules;
  return {
    ...(line ? { line: new UserLine(line) } : {}),
    connectLimitMs: limits.connectMs,
    answerLimitMs: limits.answerMs,
    ...(limits.firstByteMs === undefined ? {} : { firstByteLimitMs: limits.firstByteMs }),
    ...(browser
      ? {
          connections: browser.connections,
          headers: [
            ...(browser.userAgent === '' ? [] : [['User-Agent', browser.userAgent] as Header]),
            ...(browser.languages === '' ? [] : [['Accept-Language', browser.languages] as Header]),
          ],
        }
      : {}),
    refuses: (origin) => refusalOf(rules, origin),
    addressesOf: (origin) => rules.cleared[origin]?.addresses ?? [],
    turnInMs: (origin) => ceilings.turnInMs(rules, origin, performance.now()),
    connection: { credentials: environment.credentials, upstreamProxy: proxyOf(environment), tls },
  };
}

/** The proxy on the way to the targets; it is given credentials, so it has to be on this machine like these. */
function proxyOf({ upstreamProxy }: Environment): string {
  if (upstreamProxy !== '' && !isLoopback(upstreamProxy)) throw new Error(`The proxy ${upstreamProxy} is not on this machine.`);
  return upstreamProxy;
}
