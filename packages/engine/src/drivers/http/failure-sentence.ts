import { isCertificateError } from './target-tls.js';

const sentences: Record<string, (where: string) => string> = {
  ECONNREFUSED: (where) => `${where} refused the connection. See whether the application runs and listens there.`,
  ECONNRESET: (where) => `${where} reset the connection before it answered.`,
  EPIPE: (where) => `${where} closed the connection while the request was sent.`,
  ENOTFOUND: (where) => `${where} cannot be found: its name has no address.`,
  UND_ERR_CONNECT_TIMEOUT: (where) => `${where} did not accept a connection in time.`,
  UND_ERR_SOCKET: (where) => `${where} closed the connection before its answer was complete.`,
  UND_ERR_RES_CONTENT_LENGTH_MISMATCH: (where) => `${where} sent another number of bytes than its Content-Length says.`,
};

/** A failed request in one sentence: what happened, and where. */
export function failureSentence(error: unknown, origin: string, target: string): string {
  const { code, message, name } = (error ?? {}) as { code?: string; message?: string; name?: string };
  const where = `${origin}${target.split('?')[0] ?? ''}`;
  const known = code === undefined ? undefined : sentences[code];
  if (known) return known(code === 'ECONNREFUSED' || code === 'ENOTFOUND' ? origin : where);
  if (code !== undefined && isCertificateError(code))
    return `${origin} showed a certificate that is not accepted (${message ?? code}). If it is your test system, add its authority to the environment, or switch the checking off there.`;
  if (name === 'HTTPParserError' || code?.startsWith('HPE_'))
    return `${where} answered with something that is not HTTP (${message ?? code}).`;
  return `${where} could not be asked: ${message ?? 'unknown reason'}.`;
}
