import { md5 } from '@noble/hashes/legacy';
import { sha256, sha512_256 } from '@noble/hashes/sha2';
import { bytesToHex } from '@noble/hashes/utils';
import type { Challenge } from './challenge.js';

const hashes = { md5, 'sha-256': sha256, 'sha-512-256': sha512_256 };

/** What a Digest answer is computed from. */
export interface DigestAsked {
  user: string;
  password: string;
  method: string;
  /** Path and query. */
  target: string;
  body: Uint8Array;
  /** How often this nonce has been used, this time included. */
  count: number;
  /** Client nonce: fresh for each answer. */
  clientNonce: string;
}

/** True for a Digest challenge with an algorithm and a protection that are known here. */
export function isKnownDigest({ scheme, params }: Challenge): boolean {
  return scheme === 'digest' && nameOf(params) in hashes && (params['qop'] === undefined || protectionOf(params) !== null);
}

/** The value of the Authorization header that answers a Digest challenge (RFC 7616, 3.4). */
export function digestAuthorization(params: Readonly<Record<string, string>>, asked: DigestAsked): string {
  const realm = params['realm'] ?? '';
  const nonce = params['nonce'] ?? '';
  const algorithm = params['algorithm'] ?? 'MD5';
  const make = hashes[nameOf(params) as keyof typeof hashes];
  const hash = (text: string | Uint8Array) => bytesToHex(make(typeof text === 'string' ? new TextEncoder().encode(text) : text));
  const protection = protectionOf(params);
  const count = asked.count.toString(16).padStart(8, '0');
  let secret = hash(`${asked.user}:${realm}:${asked.password}`);
  if (/-sess$/i.test(algorithm)) secret = hash(`${secret}:${nonce}:${asked.clientNonce}`);
  const request = hash(`${asked.method}:${asked.target}${protection === 'auth-int' ? `:${hash(asked.body)}` : ''}`);
  const response =
    protection === null
      ? hash(`${secret}:${nonce}:${request}`)
      : hash(`${secret}:${nonce}:${count}:${asked.clientNonce}:${protection}:${request}`);
  const userHash = params['userhash']?.toLowerCase() === 'true';
  const quote = (text: string) => `"${text.replace(/["\\]/g, '\\$&')}"`;
  return `Digest ${[
    `username=${quote(userHash ? hash(`${asked.user}:${realm}`) : asked.user)}`,
    `realm=${quote(realm)}`,
    `uri=${quote(asked.target)}`,
    ...(params['algorithm'] === undefined ? [] : [`algorithm=${algorithm}`]),
    `nonce=${quote(nonce)}`,
    ...(protection === null ? [] : [`nc=${count}`, `cnonce=${quote(asked.clientNonce)}`, `qop=${protection}`]),
    `response=${quote(response)}`,
    ...(params['opaque'] === undefined ? [] : [`opaque=${quote(params['opaque'])}`]),
    ...(userHash ? ['userhash=true'] : []),
  ].join(', ')}`;
}

const nameOf = (params: Readonly<Record<string, string>>): string => (params['algorithm'] ?? 'MD5').toLowerCase().replace(/-sess$/, '');

/** The stronger `auth-int` is taken only where nothing else is offered: it needs the whole body before the first byte is sent. */
function protectionOf(params: Readonly<Record<string, string>>): 'auth' | 'auth-int' | null {
  const offered = (params['qop'] ?? '').toLowerCase().split(/\s*,\s*/);
  return offered.includes('auth') ? 'auth' : offered.includes('auth-int') ? 'auth-int' : null;
}
