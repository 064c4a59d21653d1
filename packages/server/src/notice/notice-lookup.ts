import { isIP, type LookupFunction } from 'node:net';
import {
  hostToConnect,
  isLoopback,
  judgeAddress,
  neverAllowed,
  nothingSentTo,
  policyProblem,
  Refusal,
  type TargetPolicy,
} from '@sturdy/core';
import { judgedLookup, type Lookup } from '@sturdy/engine';

/**
 * Looks up where notices are sent to: no test goes there, so nothing has to be cleared; but nobody is ever told at addresses where nothing may be sent,
 * nor where the policy of this machine lets no test go. Judged as the connection is made. Throws a refusal where the host itself is such an address.
 */
export function noticeLookup(origin: string, policies: readonly TargetPolicy[], lookup?: Lookup): LookupFunction {
  const never = neverAllowed(origin);
  if (never !== null) throw new Refusal(nothingSentTo(origin, never));
  const host = hostToConnect(origin);
  const literal = isIP(host) === 0 ? null : problemOf(origin, host, policies);
  if (literal !== null) throw new Refusal(literal);
  return judgedLookup((address) => problemOf(origin, address, policies), lookup);
}

/** Why nobody is told at an address, in a sentence; null where somebody may be. */
function problemOf(origin: string, address: string, policies: readonly TargetPolicy[]): string | null {
  const judged = judgeAddress(address);
  if (judged === null) return `${origin} leads to “${address}”, which is no IP address.`;
  if (judged.forbidden !== null) return `${origin} leads to ${judged.address}, where nothing is ever sent: ${judged.forbidden}`;
  if (isLoopback(origin)) return judged.reach === 'loopback' ? null : `${origin} leads to ${judged.address}, which is not this machine.`;
  if (judged.reach === 'loopback') return null;
  const asked = { origin, addresses: [judged.address], host: '', by: '', for: '', until: '', users: 0, requestsPerSecond: 0 };
  // What a policy says of load does not matter here.
  const [problem] = policies.flatMap((policy) => policyProblem({ ...policy, users: undefined, requestsPerSecond: undefined }, asked) ?? []);
  return problem === undefined ? null : problem.replace('to be cleared', 'to be told');
}
