import * as z from 'zod';
import { hostOf, isInNetwork, judgeAddress } from './address.js';
import type { Clearance } from './clearance.schema.js';

/** What whoever operates this machine allows to be cleared at all. What is absent is not confined. */
export const TargetPolicySchema = z.strictObject({
  networks: z
    .array(z.string().refine((text) => isInNetwork('::1', text) !== null, { message: 'Write a network, such as 10.20.0.0/16.' }))
    .optional()
    .describe('networks whose addresses may be cleared, such as 10.20.0.0/16'),
  hosts: z
    .array(z.string().min(1))
    .optional()
    .describe('names of hosts that may be cleared; *.test.company.example stands for all below it'),
  publicAddresses: z.boolean().default(true).describe('false where nobody may clear addresses on the public internet'),
  requestsPerSecond: z.number().positive().optional().describe('highest ceiling on requests a second'),
  users: z.number().int().min(1).optional().describe('highest ceiling on virtual users'),
});
export type TargetPolicy = z.infer<typeof TargetPolicySchema>;

const isNamed = (host: string, pattern: string): boolean => {
  const wanted = pattern.toLowerCase();
  return wanted.startsWith('*.') ? host.endsWith(wanted.slice(1)) : host === wanted;
};

/** Why a policy forbids a clearance, in a sentence; null where it allows it. Its addresses are those to which connections will be made. */
export function policyProblem(policy: TargetPolicy, clearance: Clearance): string | null {
  const { origin, addresses } = clearance;
  const host = hostOf(origin) ?? '';
  const forbids = `The policy of this machine does not allow ${origin} to be cleared:`;
  if (policy.hosts && !policy.hosts.some((pattern) => isNamed(host, pattern)))
    return `${forbids} it allows the hosts ${policy.hosts.join(', ') || '(none)'}.`;
  const outside = policy.networks && addresses.find((address) => !policy.networks?.some((network) => isInNetwork(address, network)));
  if (outside !== undefined) return `${forbids} ${outside} is in none of its networks (${policy.networks?.join(', ') ?? ''}).`;
  const open = addresses.find((address) => judgeAddress(address)?.reach === 'public');
  if (!policy.publicAddresses && open !== undefined) return `${forbids} ${open} is on the public internet.`;
  for (const [key, words] of [
    ['requestsPerSecond', 'requests a second'],
    ['users', 'users'],
  ] as const) {
    const [most, wanted] = [policy[key], clearance[key]];
    if (most !== undefined && (wanted === null || wanted > most))
      return `${forbids} it allows ${most} ${words} at the most, and the clearance ${wanted === null ? 'says no ceiling' : `says ${wanted}`}. Write ${key}: ${most}.`;
  }
  return null;
}
