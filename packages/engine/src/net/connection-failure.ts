import { failureReason, type FailureCode, type FailureReason } from '@sturdy/core';
import { AddressNotCleared } from './guarded-lookup.js';

/** Codes of Node.js for connections that failed, with what they mean; `where` is what was asked there. */
const known: Record<string, [FailureCode, (origin: string, where: string) => string]> = {
  ECONNREFUSED: ['connection-refused', (origin) => `${origin} refused the connection. See whether the application runs and listens there.`],
  ECONNRESET: ['connection-reset', (_, where) => `${where} reset the connection before it answered.`],
  EPIPE: ['connection-closed', (_, where) => `${where} closed the connection while the request was sent.`],
  ENOTFOUND: ['name-not-found', (origin) => `${origin} cannot be found: its name has no address.`],
};

/** What failed where a connection would have led to an address to which it may not lead; `problem` is the sentence that says so. */
export const addressRefused = (problem: string): FailureReason =>
  failureReason('address-not-cleared', `${problem} No connection was made.`);

/** Why a connection was not made because of where it would have led; null for any other error. */
export const refusedAddress = (error: unknown): FailureReason | null =>
  error instanceof AddressNotCleared ? addressRefused(error.message) : null;

/** Why a connection failed, by the code of the error; null where the code says nothing of a connection. */
export function connectionFailure(code: string | undefined, origin: string, where: string): FailureReason | null {
  const [failureCode, sentence] = (code === undefined ? undefined : known[code]) ?? [];
  return failureCode && sentence ? failureReason(failureCode, sentence(origin, where)) : null;
}
