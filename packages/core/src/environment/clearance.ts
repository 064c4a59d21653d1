import { hostOf, isLoopback, judgeAddress, neverAllowed } from './address.js';
import { longestClearanceDays, type Clearance } from './clearance.schema.js';
import type { Environment } from './environment.schema.js';

/** When a clearance ends, in ms since 1970. */
export const clearedUntilMs = ({ until }: Pick<Clearance, 'until'>): number =>
  Date.parse(until.includes('T') ? until : `${until}T23:59:59.999Z`);

/** The clearance of an origin; undefined where it has none. */
export const clearanceOf = ({ clearances }: Pick<Environment, 'clearances'>, origin: string): Clearance | undefined =>
  clearances.find((clearance) => clearance.origin === origin);

/** Says that an origin is none to which anything is sent, and why. */
export const nothingSentTo = (origin: string, why: string): string => `Nothing is ever sent to ${origin}: ${why}`;

/**
 * Why nothing may be sent to an origin at a moment (ms since 1970), in a sentence: it may never, it is not cleared, or its clearance has ended. Null
 * for this machine, which needs none, and for what is cleared.
 */
export function clearanceProblem(environment: Pick<Environment, 'clearances'>, origin: string, nowMs: number): string | null {
  if (isLoopback(origin)) return null;
  const never = neverAllowed(origin);
  if (never !== null) return nothingSentTo(origin, never);
  const clearance = clearanceOf(environment, origin);
  if (!clearance) return `${origin} is not on this machine and is not cleared. Clear it first: who allows it, what for, and until when.`;
  const untilMs = clearedUntilMs(clearance);
  if (!(nowMs <= untilMs))
    return `The clearance of ${origin} by ${clearance.by} ended on ${clearance.until}. Ask again whether it may be tested, and clear it anew.`;
  if (untilMs - nowMs > longestClearanceDays * 86_400_000)
    return `${origin} is cleared until ${clearance.until}. Clear a target for a year at the most.`;
  const wrong = clearance.addresses.find((address) => judgeAddress(address)?.forbidden !== null);
  if (wrong !== undefined)
    return `${origin} is cleared for “${wrong}”, where nothing may be sent. ${judgeAddress(wrong)?.forbidden ?? 'It is no IP address.'}`;
  const host = hostOf(origin) ?? '';
  const isPublic = [host, ...clearance.addresses].some((address) => judgeAddress(address)?.reach === 'public');
  return isPublic && hostOf(`http://${clearance.host}`) !== host
    ? `${origin} is on the public internet. Type the name of its host once more to say that it is the one that is meant: ${host}.`
    : null;
}

/**
 * Why a connection to an IP address may not be used for an origin, in a sentence; null where it may. A name of this machine has to lead to this
 * machine, a cleared one to an address for which it was cleared: a name server that answers otherwise later (rebinding) changes nothing.
 */
export function addressProblem(origin: string, addresses: readonly string[], address: string): string | null {
  const judged = judgeAddress(address);
  if (judged === null) return `${origin} leads to “${address}”, which is no IP address.`;
  if (isLoopback(origin)) return judged.reach === 'loopback' ? null : `${origin} leads to ${judged.address}, which is not this machine.`;
  if (judged.forbidden !== null) return `${origin} leads to ${judged.address}, where nothing is ever sent: ${judged.forbidden}`;
  return addresses.some((cleared) => judgeAddress(cleared)?.address === judged.address)
    ? null
    : `${origin} leads to ${judged.address}, for which it was not cleared (${addresses.join(', ') || 'no address'}).`;
}
