import { lookup as systemLookup } from 'node:dns';
import { isIP, type LookupFunction } from 'node:net';
import { isLoopback, judgeAddress, neverAllowed, policyProblem, Refusal, type TargetPolicy } from '@sturdy/core';
import type { Lookup } from '@sturdy/engine';

/**
 * Looks up where notices are sent to: no test goes there, so nothing has to be cleared; but nobody is ever told at addresses where nothing may be sent,
 * nor where the policy of this machine lets no test go. Judged as the connection is made. Throws a refusal where the host itself is such an address.
 */
export function noticeLookup(origin: string, policies: readonly TargetPolicy[], lookup: Lookup = systemLookup): LookupFunction {
  const never = neverAllowed(origin);
  if (never !== null) throw new Refusal(`Nothing is ever sent to ${origin}: ${never}`);
  const { hostname } = new URL(origin);
  const host = hostname.replace(/^\[|\]$/g, '');
  const literal = isIP(host) === 0 ? null : problemOf(origin, host, policies);
  if (literal !== null) throw new Refusal(literal);
  return (name, options, callback) => {
    lookup(name, { ...options, all: true }, (error, found) => {
      if (error) {
        callback(error, '', 0);
        return;
      }
      const allowed = found.filter(({ address }) => problemOf(origin, address, policies) === null);
      const [first] = allowed;
      if (!first) callback(new Refusal(problemOf(origin, found[0]?.address ?? '', policies) ?? `${origin} has no address.`), '', 0);
      else if (options.all === true) callback(null, allowed);
      else callback(null, first.address, first.family);
    });
  };
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
