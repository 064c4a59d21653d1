import type { Environment } from './environment.schema.js';

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
  const wrong = targets.find((target) => !URL.canParse(target) || new URL(target).origin !== target);
  if (wrong !== undefined) return `“${wrong}” is not an origin. Write it as scheme, host and port, such as http://127.0.0.1:4701.`;
  const outside = targets.find((target) => !isLoopback(target));
  if (outside !== undefined)
    return `${outside} is not on this machine. This project may send load to loopback addresses only: 127.0.0.1, [::1] or localhost.`;
  if (upstreamProxy !== '' && !isLoopback(upstreamProxy))
    return `The proxy ${upstreamProxy} is not on this machine. Requests, and the credentials in them, go through proxies on loopback addresses only.`;
  return null;
}

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
