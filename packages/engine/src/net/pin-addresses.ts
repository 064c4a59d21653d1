import { lookup as systemLookup, type LookupAddress } from 'node:dns';
import { isIP } from 'node:net';
import { hostToConnect, type Environment } from '@sturdy/core';
import type { Lookup } from './guarded-lookup.js';

/** The IP addresses of an origin's host at this moment, each once. Rejects with a sentence where its name has none. */
export async function addressesNow(origin: string, lookup: Lookup = systemLookup): Promise<string[]> {
  const host = hostToConnect(origin);
  if (isIP(host) !== 0) return [host];
  const found = await new Promise<LookupAddress[]>((done, failed) => {
    lookup(host, { all: true }, (error, addresses) => {
      if (error)
        failed(
          new Error(
            `${origin} has no address: its name cannot be looked up (${error.code ?? error.message}). See how its host is written, and whether this machine knows it.`,
          ),
        );
      else done(addresses);
    });
  });
  return [...new Set(found.map(({ address }) => address))];
}

/**
 * An environment whose clearances name the addresses that their targets have now, where they name none; what begins now goes to these and no other.
 * Rejects with a sentence where a name has no address.
 */
export async function pinAddresses(environment: Environment, lookup?: Lookup): Promise<Environment> {
  const clearances = await Promise.all(
    environment.clearances.map(async (clearance) =>
      clearance.addresses.length > 0 ? clearance : { ...clearance, addresses: await addressesNow(clearance.origin, lookup) },
    ),
  );
  return { ...environment, clearances };
}
