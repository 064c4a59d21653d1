import { bytesToHex } from '@noble/hashes/utils';
import { headersOf } from '../take/messages.js';
import type { Header } from '../take/take.schema.js';
import { basicAuthorization } from './basic.js';
import { base64ToBytes, bytesToBase64 } from '../bytes.js';
import { readChallenges } from './challenge.js';
import { credentialFor, type Credential } from './credential.schema.js';
import { digestAuthorization, isKnownDigest } from './digest.js';
import { ntlmAuthenticate, ntlmNegotiate, readNtlmChallenge } from './ntlm.js';

/** A request as far as a sign-in method reads it. */
export interface SignInRequest {
  origin: string;
  method: string;
  /** Path and query. */
  target: string;
  body: Uint8Array;
}

const methods = ['basic', 'digest', 'bearer', 'ntlm'] as const;
type HttpCredential = Extract<Credential, { kind: (typeof methods)[number] }>;
const empty = new Uint8Array(0);

/** Schemes whose recorded Authorization header is of no use later: it is made anew from the credentials. */
const ownScheme = /^(basic|digest|bearer|ntlm|negotiate)\b/i;

/**
 * Signs one user in with the credentials of an environment: says which Authorization header a request carries, and how a 401 is
 * answered. One object serves one connection, because NTLM signs in a connection, not a request.
 */
export class SignIn {
  readonly #digests = new Map<string, { params: Record<string, string>; count: number }>();
  /** Origins with which an NTLM sign-in is under way. */
  readonly #answering = new Set<string>();

  constructor(
    readonly credentials: readonly Credential[],
    /** Fresh random bytes. */
    readonly randomBytes: (count: number) => Uint8Array,
    readonly nowMs: () => number,
  ) {}

  /** True where an environment has a method of HTTP for this origin. */
  covers(origin: string): boolean {
    return this.credentials.length > 0 && credentialFor(this.credentials, origin, methods) !== undefined;
  }

  /** The headers of a request, its Authorization made anew where the method allows to send it unasked. */
  prepare(request: SignInRequest, headers: readonly Header[]): Header[] {
    const credential = credentialFor(this.credentials, request.origin, methods);
    if (!credential) return [...headers];
    const kept = headers.filter(([name, value]) => name.toLowerCase() !== 'authorization' || !ownScheme.test(value));
    const value = this.#unasked(credential, request);
    return value === null ? kept : [...kept, ['Authorization', value]];
  }

  /**
   * The Authorization that answers a 401; null where there is no credential for it, where it was refused, or where what the server asks can be
   * answered by nobody, such as a challenge that was cut off. It never throws: it is asked while answers come in, whatever they hold.
   */
  answer(request: SignInRequest, responseHeaders: readonly Header[]): string | null {
    const credential = credentialFor(this.credentials, request.origin, methods);
    if (!credential) return null;
    try {
      return this.#answerWith(credential, request, responseHeaders);
    } catch {
      this.#answering.delete(request.origin);
      return null;
    }
  }

  #answerWith(credential: HttpCredential, request: SignInRequest, responseHeaders: readonly Header[]): string | null {
    const challenges = readChallenges(headersOf(responseHeaders, 'www-authenticate'));
    if (credential.kind === 'digest') {
      const challenge = challenges.find(isKnownDigest);
      const before = this.#digests.get(request.origin);
      // A second 401 is an answer to go on from only where it says that the nonce was old (RFC 7616, 3.3).
      if (
        !challenge ||
        (before && challenge.params['stale']?.toLowerCase() !== 'true' && before.params['nonce'] === challenge.params['nonce'])
      )
        return null;
      this.#digests.set(request.origin, { params: challenge.params, count: 0 });
      return this.#digest(credential, request);
    }
    if (credential.kind === 'ntlm') {
      const challenge =
        challenges.find((offered) => offered.scheme === 'ntlm') ?? challenges.find((offered) => offered.scheme === 'negotiate');
      if (!challenge) return null;
      if (challenge.token === null) {
        // Asked from the beginning again, before anything was let in: it was refused.
        if (this.#answering.delete(request.origin)) return null;
        this.#answering.add(request.origin);
        return `${named(challenge.scheme)} ${bytesToBase64(ntlmNegotiate())}`;
      }
      return `${named(challenge.scheme)} ${bytesToBase64(
        ntlmAuthenticate(credential, readNtlmChallenge(base64ToBytes(challenge.token)), this.randomBytes(8), this.nowMs()),
      )}`;
    }
    return null;
  }

  /** Tells that a request was let in, so that a later 401 starts from the beginning. */
  accepted(origin: string): void {
    this.#answering.delete(origin);
  }

  #unasked(credential: HttpCredential, request: SignInRequest): string | null {
    switch (credential.kind) {
      case 'basic':
        return basicAuthorization(credential.user, credential.password);
      case 'bearer':
        return `Bearer ${credential.token}`;
      case 'digest':
        return this.#digests.has(request.origin) ? this.#digest(credential, request) : null;
      case 'ntlm':
        return null;
    }
  }

  #digest(credential: { user: string; password: string }, request: SignInRequest): string {
    const known = this.#digests.get(request.origin);
    if (!known) throw new Error('There is no Digest challenge to answer.');
    known.count++;
    return digestAuthorization(known.params, {
      user: credential.user,
      password: credential.password,
      method: request.method,
      target: request.target,
      body: request.body,
      count: known.count,
      clientNonce: bytesToHex(this.randomBytes(16)),
    });
  }
}

const named = (scheme: string): string => (scheme === 'ntlm' ? 'NTLM' : 'Negotiate');

/** Bytes of a request's body as a sign-in method wants them. */
export const bodyBytes = (body: Uint8Array | string | null): Uint8Array =>
  body === null ? empty : typeof body === 'string' ? new TextEncoder().encode(body) : body;
