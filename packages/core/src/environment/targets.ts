import { isLoopback } from './address.js';
import { clearanceProblem } from './clearance.js';
import type { Environment } from './environment.schema.js';

/**
 * The origin of an address: scheme, host and port. `URL` gives none for schemes that it does not know (URL standard, 4.5), such as `tcp:`. Null where the
 * text is no address with a host.
 */
export function addressOrigin(address: string): string | null {
  if (!URL.canParse(address)) return null;
  const { origin, protocol, host } = new URL(address);
  if (origin !== 'null') return origin;
  return host === '' ? null : `${protocol}//${host}`;
}

/**
 * What keeps an environment from being used at a moment (ms since 1970), in a sentence: a target that is no origin, one that is not on this machine
 * and not cleared, or a proxy that is not on this machine, because it is given the credentials. Null where nothing does.
 */
export function environmentProblem(
  environment: Pick<Environment, 'targets' | 'upstreamProxy' | 'clearances'>,
  nowMs: number,
): string | null {
  const { targets, upstreamProxy } = environment;
  const wrong = targets.find((target) => addressOrigin(target) !== target);
  if (wrong !== undefined)
    return `“${wrong}” is not an origin. Write it as scheme, host and port, such as http://127.0.0.1:4701 or tcp://127.0.0.1:9100.`;
  for (const target of targets) {
    const problem = clearanceProblem(environment, target, nowMs);
    if (problem !== null) return problem;
  }
  if (upstreamProxy === '') return null;
  if (!isLoopback(upstreamProxy))
    return `The proxy ${upstreamProxy} is not on this machine. Requests, and the credentials in them, go through proxies on loopback addresses only.`;
  const beyond = targets.find((target) => !isLoopback(target));
  return beyond === undefined
    ? null
    : `${beyond} cannot be tested through the proxy ${upstreamProxy}: where a connection behind a proxy leads cannot be checked.`;
}

/**
 * What keeps an environment from being used by the server, in a sentence; null where nothing does. Targets beyond this machine are played by the
 * command line only: the server's recorder and its watches do not check yet where their connections lead.
 */
export function serverProblem(environment: Pick<Environment, 'targets' | 'upstreamProxy' | 'clearances'>, nowMs: number): string | null {
  const beyond = environment.targets.find((target) => addressOrigin(target) === target && !isLoopback(target));
  return beyond === undefined
    ? environmentProblem(environment, nowMs)
    : `${beyond} is not on this machine. The server may send to loopback addresses only; the command line plays other targets, which its environment file clears.`;
}

/** True for an origin that may be hit at a moment (ms since 1970): a target of the environment, on this machine or cleared. */
export const allowsTarget = (environment: Pick<Environment, 'targets' | 'clearances'>, origin: string, nowMs: number): boolean =>
  environment.targets.includes(origin) && clearanceProblem(environment, origin, nowMs) === null;

/** The origin that is hit for a recorded one at a moment (ms since 1970), or a sentence that says why it may not be. */
export function resolveTarget(recordedOrigin: string, environment: Environment, nowMs: number): { origin: string } | { refused: string } {
  const origin = environment.map[recordedOrigin] ?? recordedOrigin;
  if (!environment.targets.includes(origin))
    return {
      refused: `${origin} is not a target of the environment “${environment.name}”. Add it to the allowed targets if it is yours to test, or map it to another address.`,
    };
  const refused = clearanceProblem(environment, origin, nowMs);
  return refused === null ? { origin } : { refused };
}

/** An environment that names its targets and nothing else. */
export const plainEnvironment = (given: Pick<Environment, 'id' | 'projectId' | 'name' | 'targets'>): Environment => ({
  ...given,
  clearances: [],
  map: {},
  credentials: [],
  trust: { authorities: '', checksCertificates: true },
  upstreamProxy: '',
  variables: {},
  secretVariables: [],
  failureSigns: [],
});
