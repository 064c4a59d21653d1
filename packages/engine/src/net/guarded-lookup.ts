import { lookup as systemLookup, type LookupAddress, type LookupAllOptions } from 'node:dns';
import { isIP, type LookupFunction } from 'node:net';
import { addressProblem, hostToConnect } from '@sturdy/core';

/** Looks a name up, as `dns.lookup` does. */
export type Lookup = (
  hostname: string,
  options: LookupAllOptions,
  callback: (error: NodeJS.ErrnoException | null, addresses: LookupAddress[]) => void,
) => void;

/** A connection that would have led where the target may not lead; `code` is that of such errors of Node.js. */
export class AddressNotCleared extends Error {
  override readonly name = 'AddressNotCleared';
  readonly code = 'ADDRESS_NOT_CLEARED';
}

/**
 * Looks a host up for a connection that is being made, and gives those of its addresses that are allowed at that moment. `problemOf` says why an address
 * is not, in a sentence; null where it is.
 */
export function judgedLookup(problemOf: (address: string) => string | null, lookup: Lookup = systemLookup): LookupFunction {
  return (hostname, options, callback) => {
    lookup(hostname, { ...options, all: true }, (error, found) => {
      if (error) {
        callback(error, '', 0);
        return;
      }
      const allowed = found.filter(({ address }) => problemOf(address) === null);
      const [first] = allowed;
      if (!first) {
        const [refused] = found.map(({ address }) => problemOf(address));
        callback(new AddressNotCleared(refused ?? `${hostname} has no address.`), '', 0);
      } else if (options.all === true) callback(null, allowed);
      else callback(null, first.address, first.family);
    });
  };
}

/**
 * Looks up the host of an origin for a connection that is being made, and gives those of its addresses to which it may lead: whatever a name server
 * says at that moment, this machine's names lead to this machine, and a cleared name to the addresses for which it was cleared.
 */
export const guardedLookup = (origin: string, addresses: readonly string[], lookup?: Lookup): LookupFunction =>
  judgedLookup((address) => addressProblem(origin, addresses, address), lookup);

/**
 * Looks up where connections to an origin may lead: on this machine, or to the addresses for which it was cleared. Throws `AddressNotCleared` where its
 * host is an address to which they may not, which nobody looks up.
 */
export function lookupFor(origin: string, addresses: readonly string[], lookup?: Lookup): LookupFunction {
  const problem = literalProblem(origin, addresses);
  if (problem !== null) throw new AddressNotCleared(problem);
  return guardedLookup(origin, addresses, lookup);
}

/** Why a connection to an origin may not be made, where its host is an IP address, which nobody looks up; null where it may or is a name. */
export function literalProblem(origin: string, addresses: readonly string[]): string | null {
  const host = hostToConnect(origin);
  return isIP(host) === 0 ? null : addressProblem(origin, addresses, host);
}
