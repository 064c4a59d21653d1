import { isLoopback } from './address.js';
import { clearanceOf, clearanceProblem } from './clearance.js';
import type { Clearance } from './clearance.schema.js';
import type { Environment } from './environment.schema.js';

/** How a target stands: on this machine, cleared, once cleared, or not cleared. */
export type TargetStanding = 'here' | 'cleared' | 'ended' | 'not-cleared';

/** A target of an environment, whether it may be hit at a moment, and whose word that is. */
export interface TargetState {
  origin: string;
  standing: TargetStanding;
  clearance: Clearance | null;
  /** What that means, in a sentence. */
  sentence: string;
}

const ceilings = ({ requestsPerSecond, users }: Clearance): string =>
  [...(requestsPerSecond === null ? [] : [`${requestsPerSecond} requests a second`]), ...(users === null ? [] : [`${users} users`])].join(
    ' and ',
  );

/** How the targets of an environment stand at a moment (ms since 1970). */
export function targetStates(environment: Pick<Environment, 'targets' | 'clearances'>, nowMs: number): TargetState[] {
  return environment.targets.map((origin) => {
    if (isLoopback(origin)) return { origin, standing: 'here', clearance: null, sentence: 'It is on this machine and needs no clearance.' };
    const clearance = clearanceOf(environment, origin) ?? null;
    const problem = clearanceProblem(environment, origin, nowMs);
    if (clearance !== null && problem === null) {
      const most = ceilings(clearance);
      return {
        origin,
        standing: 'cleared',
        clearance,
        sentence: `Cleared by ${clearance.by} until ${clearance.until} for: ${clearance.for}. ${most === '' ? 'No ceiling was set.' : `At most ${most}.`}`,
      };
    }
    return { origin, standing: clearance === null ? 'not-cleared' : 'ended', clearance, sentence: problem ?? '' };
  });
}
