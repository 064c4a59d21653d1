import { failureReason, type FailureCode, type FailureReason } from '@sturdy/core';
import { connectionFailure, refusedAddress } from '../../net/connection-failure.js';
import { isCertificateError } from './target-tls.js';

/** Codes of the HTTP client, with what they mean; `where` is the address without its query. */
const known: Record<string, [FailureCode, (where: string) => string]> = {
  UND_ERR_CONNECT_TIMEOUT: ['connect-timed-out', (where) => `${where} did not accept a connection in time.`],
  UND_ERR_SOCKET: ['connection-closed', (where) => `${where} closed the connection before its answer was complete.`],
  UND_ERR_RES_CONTENT_LENGTH_MISMATCH: [
    'length-mismatch',
    (where) => `${where} sent another number of bytes than its Content-Length says.`,
  ],
};

/** An exchange that was given up because it took longer than its limit. */
export class TimedOut extends Error {
  constructor(
    readonly failureCode: 'first-byte-timed-out' | 'answer-timed-out',
    limitMs: number,
  ) {
    super(`${failureCode === 'answer-timed-out' ? 'no complete answer' : 'no first byte of an answer'} within ${limitMs} ms`);
  }
}

/** Why an exchange failed, with a sentence that says what happened, and where. */
export function exchangeFailure(error: unknown, origin: string, target: string): FailureReason {
  const { code, message, name } = (error ?? {}) as { code?: string; message?: string; name?: string };
  const where = `${origin}${target.split('?')[0] ?? ''}`;
  const [failureCode, sentence] = (code === undefined ? undefined : known[code]) ?? [];
  if (failureCode && sentence) return failureReason(failureCode, sentence(where));
  const connection = refusedAddress(error) ?? connectionFailure(code, origin, where);
  if (connection) return connection;
  if (code !== undefined && isCertificateError(code))
    return failureReason(
      'certificate-refused',
      `${origin} showed a certificate that is not accepted (${message ?? code}). If it is your test system, add its authority to the environment, or switch the checking off there.`,
    );
  if (name === 'HTTPParserError' || code?.startsWith('HPE_'))
    return failureReason('not-http', `${where} answered with something that is not HTTP (${message ?? code}).`);
  return failureReason(
    error instanceof TimedOut ? error.failureCode : 'exchange-failed',
    `${where} could not be asked: ${message ?? 'unknown reason'}.`,
    error instanceof TimedOut ? '' : (code ?? ''),
  );
}
