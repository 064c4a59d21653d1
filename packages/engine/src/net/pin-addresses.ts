import { lookup as systemLookup, type LookupAddress } from 'node:dns';
import { isIP } from 'node:net';
import { hostToConnect, type Environment } from '@sturdy/core';
import type { Lookup } from './guarded-lookup.js';

/**
 * An environment whose clearances name the addresses that their targets have now, where they name none; what begins now goes to these and no other.
 * Rejects with a sentence where a name has no address.
 */
export async function pinAddresses(environment: Environment, lookup: Lookup = systemLookup): Promise<Environment> {
  const clearances = await Promise.all(
    environment.clearances.map(async (clearance) => {
      if (clearance.addresses.length > 0) return clearance;
      const host = hostToConnect(clearance.origin);
      if (isIP(host) !== 0) return { ...clearance, addresses: [host] };
      const found = await new Promise<LookupAddress[]>((done, failed) => {
        lookup(host, { all: true }, (error, addresses) => {
          if (error)
            failed(new Error(`${clearance.origin} has no address: its name cannot be looked up (${error.code ?? error.message}).`));
          else done(addresses);
        });
      });
      return { ...clearance, addresses: [...new Set(found.map(({ address }) => address))] };
    }),
  );
  return { ...environment, clearances };
}
