import { TargetPolicySchema, type TargetPolicy } from '@sturdy/core';
import type { Command } from 'commander';
import { readYamlFile } from './input-files.js';
import { UsageError } from './usage-error.js';

/** What the operator of this machine allows to be cleared, as options of a command. */
export interface PolicyOptions {
  policy?: string;
  clearNetworks?: string[];
  clearHosts?: string[];
  clearRequests?: string;
  clearUsers?: string;
  /** False where --no-clear-public is given. */
  clearPublic?: boolean;
}

export const addPolicyOptions = (command: Command): Command =>
  command
    .option('--policy <policy.yaml>', 'what may be cleared on this machine (see: sturdy schema policy); STURDY_POLICY names one, too')
    .option('--clear-networks <network...>', 'the same as an option: networks whose addresses may be cleared, such as 10.20.0.0/16')
    .option('--clear-hosts <host...>', 'hosts that may be cleared, such as *.test.company.example')
    .option('--clear-requests <number>', 'highest ceiling on requests a second')
    .option('--clear-users <number>', 'highest ceiling on virtual users')
    .option('--no-clear-public', 'nobody may clear addresses on the public internet');

/** The policies that hold for a command: its file, that of STURDY_POLICY, and its options; what one forbids is forbidden. Throws where one is wrong. */
export function policiesOf(options: PolicyOptions): TargetPolicy[] {
  const files = [options.policy, process.env['STURDY_POLICY']].flatMap((file) =>
    file ? [readYamlFile(file, 'The policy', TargetPolicySchema)] : [],
  );
  const { clearNetworks, clearHosts, clearRequests, clearUsers, clearPublic } = options;
  const read = TargetPolicySchema.safeParse({
    networks: clearNetworks,
    hosts: clearHosts,
    publicAddresses: clearPublic ?? true,
    requestsPerSecond: clearRequests === undefined ? undefined : Number(clearRequests),
    users: clearUsers === undefined ? undefined : Number(clearUsers),
  });
  if (read.success) return [...files, read.data];
  const [issue] = read.error.issues;
  throw new UsageError(`${optionOf[String(issue?.path[0])] ?? 'The options of the policy'}: ${issue?.message ?? 'cannot be read'}`);
}

const optionOf: Record<string, string> = {
  networks: '--clear-networks',
  hosts: '--clear-hosts',
  requestsPerSecond: '--clear-requests',
  users: '--clear-users',
};
