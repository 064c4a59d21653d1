import { clearanceOf, isLoopback, Refusal, targetProblem, type Environment } from '@sturdy/core';
import { AddressNotCleared, lookupFor, type Lookup } from '@sturdy/engine';
import type { LookupFunction } from 'node:net';

/** Where a project may go beyond this machine: the targets of its environment that are cleared. */
export interface Reach {
  environment: Pick<Environment, 'name' | 'targets' | 'clearances'>;
  /** Looks names up; that of the system where it is left out. */
  lookup?: Lookup | undefined;
}

/** IP addresses to which connections to an origin may lead beyond this machine. */
export const clearedAddresses = ({ environment }: Reach, origin: string): readonly string[] =>
  clearanceOf(environment, origin)?.addresses ?? [];

/**
 * How connections to an origin are looked up for what is neither recorded nor played: watches of hosts, and queries. This machine may always be asked,
 * others where they are a cleared target. Throws a refusal that says why it may not be asked.
 */
export function lookupWithin(reach: Reach, origin: string): LookupFunction {
  const problem = isLoopback(origin) ? null : targetProblem(reach.environment, origin, Date.now());
  if (problem !== null) throw new Refusal(problem);
  try {
    return lookupFor(origin, clearedAddresses(reach, origin), reach.lookup);
  } catch (error) {
    throw error instanceof AddressNotCleared ? new Refusal(error.message) : error;
  }
}
