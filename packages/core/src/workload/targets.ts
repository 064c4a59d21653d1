import type { Environment } from './workload.schema.js';

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
  failureSigns: [],
});
