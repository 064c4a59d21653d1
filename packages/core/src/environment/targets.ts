import { isLoopback, neverAllowed } from './address.js';
import { clearanceProblem, nothingSentTo } from './clearance.js';
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
 * What is wrong with an environment whatever was cleared, in a sentence: a target that is no origin or to which nothing is ever sent, a proxy that is
 * not on this machine, because it is given the credentials, or one behind which nobody sees where connections lead. Null where nothing is.
 */
export function environmentFault({ targets, upstreamProxy }: Pick<Environment, 'targets' | 'upstreamProxy'>): string | null {
  for (const target of targets) {
    if (addressOrigin(target) !== target)
      return `“${target}” is not an origin. Write it as scheme, host and port, such as http://127.0.0.1:4701 or tcp://127.0.0.1:9100.`;
    const never = isLoopback(target) ? null : neverAllowed(target);
    if (never !== null) return nothingSentTo(target, never);
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
 * What keeps an environment from being used as a whole at a moment (ms since 1970), in a sentence: a fault, or a target that is not on this machine
 * and not cleared. Null where nothing does.
 */
export const environmentProblem = (
  environment: Pick<Environment, 'targets' | 'upstreamProxy' | 'clearances'>,
  nowMs: number,
): string | null =>
  environmentFault(environment) ??
  environment.targets.map((target) => clearanceProblem(environment, target, nowMs)).find((problem) => problem !== null) ??
  null;

/** True for an origin that may be hit at a moment (ms since 1970): a target of the environment, on this machine or cleared. */
export const allowsTarget = (environment: Pick<Environment, 'targets' | 'clearances'>, origin: string, nowMs: number): boolean =>
  environment.targets.includes(origin) && clearanceProblem(environment, origin, nowMs) === null;

/** Why nothing may be sent to an origin of an environment at a moment (ms since 1970), in a sentence; null where it may. */
export function targetProblem(
  environment: Pick<Environment, 'name' | 'targets' | 'clearances'>,
  origin: string,
  nowMs: number,
): string | null {
  return environment.targets.includes(origin)
    ? clearanceProblem(environment, origin, nowMs)
    : `${origin} is not a target of the environment “${environment.name}”. Add it to the allowed targets if it is yours to test, or map it to another address.`;
}

/** The origin that is hit for a recorded one at a moment (ms since 1970), or a sentence that says why it may not be. */
export function resolveTarget(recordedOrigin: string, environment: Environment, nowMs: number): { origin: string } | { refused: string } {
  const origin = environment.map[recordedOrigin] ?? recordedOrigin;
  const refused = targetProblem(environment, origin, nowMs);
  return refused === null ? { origin } : { refused };
}

/** An environment that names its targets and nothing else. */
export const plainEnvironment = (given: Pick<Environment, 'id' | 'projectId' | 'name' | 'targets'>): Environment => ({
  ...given,
  productionLike: false,
  clearances: [],
  map: {},
  credentials: [],
  trust: { authorities: '', checksCertificates: true },
  upstreamProxy: '',
  variables: {},
  secretVariables: [],
  failureSigns: [],
});
