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

/** True for an origin on this machine: 127.0.0.0/8, [::1] and localhost. */
export function isLoopback(origin: string): boolean {
  let host: string;
  try {
    host = new URL(origin).hostname;
  } catch {
    return false;
  }
  return host === 'localhost' || host === '[::1]' || /^127\.\d+\.\d+\.\d+$/.test(host);
}

/**
 * What keeps an environment from being used, in a sentence: a target that is no origin, or an address that is not on this machine, the proxy
 * on the way included, because it is given the credentials. Null where nothing does.
 */
export function environmentProblem({ targets, upstreamProxy }: Pick<Environment, 'targets' | 'upstreamProxy'>): string | null {
  const wrong = targets.find((target) => addressOrigin(target) !== target);
  if (wrong !== undefined)
    return `“${wrong}” is not an origin. Write it as scheme, host and port, such as http://127.0.0.1:4701 or tcp://127.0.0.1:9100.`;
  const outside = targets.find((target) => !isLoopback(target));
  if (outside !== undefined)
    return `${outside} is not on this machine. This project may send load to loopback addresses only: 127.0.0.1, [::1] or localhost.`;
  if (upstreamProxy !== '' && !isLoopback(upstreamProxy))
    return `The proxy ${upstreamProxy} is not on this machine. Requests, and the credentials in them, go through proxies on loopback addresses only.`;
  return null;
}

/** True for an origin that may be hit: a target of the environment on this machine. */
export const allowsTarget = ({ targets }: Pick<Environment, 'targets'>, origin: string): boolean =>
  targets.includes(origin) && isLoopback(origin);

/** The origin that is hit for a recorded one, or a sentence that says why it may not be. */
export function resolveTarget(recordedOrigin: string, environment: Environment): { origin: string } | { refused: string } {
  const origin = environment.map[recordedOrigin] ?? recordedOrigin;
  if (!environment.targets.includes(origin))
    return {
      refused: `${origin} is not a target of the environment “${environment.name}”. Add it to the allowed targets if it is yours to test, or map it to another address.`,
    };
  if (!isLoopback(origin)) return { refused: `${origin} is not on this machine. This project may send load to loopback addresses only.` };
  return { origin };
}

/** An environment that names its targets and nothing else. */
export const plainEnvironment = (given: Pick<Environment, 'id' | 'projectId' | 'name' | 'targets'>): Environment => ({
  ...given,
  map: {},
  credentials: [],
  trust: { authorities: '', checksCertificates: true },
  upstreamProxy: '',
  variables: {},
  secretVariables: [],
  failureSigns: [],
});
