import { hmac } from '@noble/hashes/hmac';
import { md5 } from '@noble/hashes/legacy';
import { joinBytes } from '../bytes.js';
import { md4 } from './md4.js';

/**
 * NTLMv2 as the open specification [MS-NLMP] describes it: negotiate and authenticate messages for the sign-in of HTTP.
 * Section numbers are those of that document.
 */
export interface NtlmUser {
  user: string;
  password: string;
  domain: string;
}

/** What a challenge message carries (2.2.1.2). */
export interface NtlmChallenge {
  serverChallenge: Uint8Array;
  /** Attribute pairs as they came; they are part of what is signed. */
  targetInfo: Uint8Array;
  /** Time of the server as a FILETIME, where the target information has it. */
  timestamp: Uint8Array | null;
}

const signature = Uint8Array.of(0x4e, 0x54, 0x4c, 0x4d, 0x53, 0x53, 0x50, 0);
/** Unicode, request target, NTLM, always sign, extended session security, target information, 128 and 56 bit (2.2.2.5). */
const flags = 0x00000001 | 0x00000004 | 0x00000200 | 0x00008000 | 0x00080000 | 0x00800000 | 0x20000000 | 0x80000000;
const timestampAttribute = 7;

/** The negotiate message (2.2.1.1). */
export function ntlmNegotiate(): Uint8Array {
  const message = new Uint8Array(32);
  const view = new DataView(message.buffer);
  message.set(signature);
  view.setUint32(8, 1, true);
  view.setUint32(12, flags >>> 0, true);
  view.setUint32(20, 32, true);
  view.setUint32(28, 32, true);
  return message;
}

/** Reads a challenge message. Throws where the bytes are none. */
export function readNtlmChallenge(message: Uint8Array): NtlmChallenge {
  const view = new DataView(message.buffer, message.byteOffset, message.byteLength);
  if (message.length < 32 || signature.some((byte, at) => message[at] !== byte) || view.getUint32(8, true) !== 2)
    throw new Error('The server answered the NTLM negotiation with something that is no challenge message.');
  const length = message.length >= 48 ? view.getUint16(40, true) : 0;
  const from = length > 0 ? view.getUint32(44, true) : 0;
  if (from + length > message.length) throw new Error('The server answered the NTLM negotiation with a challenge that was cut off.');
  const targetInfo = message.slice(from, from + length);
  let timestamp: Uint8Array | null = null;
  for (let at = 0; at + 4 <= targetInfo.length;) {
    const id = (targetInfo[at] ?? 0) | ((targetInfo[at + 1] ?? 0) << 8);
    const size = (targetInfo[at + 2] ?? 0) | ((targetInfo[at + 3] ?? 0) << 8);
    if (id === 0) break;
    // A FILETIME has 8 bytes (2.3.3 of [MS-DTYP]); anything else is none.
    if (id === timestampAttribute && size === 8 && at + 12 <= targetInfo.length) timestamp = targetInfo.slice(at + 4, at + 12);
    at += 4 + size;
  }
  return { serverChallenge: message.slice(24, 32), targetInfo, timestamp };
}

/** NTOWFv2 (3.3.2): the key that all of version 2 is signed with. */
export function ntlmKey({ user, password, domain }: NtlmUser): Uint8Array {
  return hmac(md5, md4(utf16(password)), utf16(user.toUpperCase() + domain));
}

/** The two responses of version 2 and the session base key (3.3.2). `time` is a FILETIME in 8 bytes. */
export function ntlmResponses(
  key: Uint8Array,
  challenge: NtlmChallenge,
  clientChallenge: Uint8Array,
  time: Uint8Array,
): { nt: Uint8Array; lm: Uint8Array; sessionKey: Uint8Array } {
  const temp = joinBytes(
    Uint8Array.of(1, 1, 0, 0, 0, 0, 0, 0),
    time,
    clientChallenge,
    new Uint8Array(4),
    challenge.targetInfo,
    new Uint8Array(4),
  );
  const proof = hmac(md5, key, joinBytes(challenge.serverChallenge, temp));
  return {
    nt: joinBytes(proof, temp),
    // With a time of the server the old response is left empty (3.1.5.1.2).
    lm: challenge.timestamp
      ? new Uint8Array(24)
      : joinBytes(hmac(md5, key, joinBytes(challenge.serverChallenge, clientChallenge)), clientChallenge),
    sessionKey: hmac(md5, key, proof),
  };
}

/** The authenticate message (2.2.1.3). `nowMs` is used where the server gave no time. */
export function ntlmAuthenticate(user: NtlmUser, challenge: NtlmChallenge, clientChallenge: Uint8Array, nowMs: number): Uint8Array {
  const time = challenge.timestamp ?? fileTime(nowMs);
  const { nt, lm } = ntlmResponses(ntlmKey(user), challenge, clientChallenge, time);
  const parts = [lm, nt, utf16(user.domain), utf16(user.user), utf16('STURDY'), new Uint8Array(0)];
  const header = new Uint8Array(64);
  const view = new DataView(header.buffer);
  header.set(signature);
  view.setUint32(8, 3, true);
  let at = header.length;
  parts.forEach((part, index) => {
    view.setUint16(12 + 8 * index, part.length, true);
    view.setUint16(14 + 8 * index, part.length, true);
    view.setUint32(16 + 8 * index, at, true);
    at += part.length;
  });
  view.setUint32(60, flags >>> 0, true);
  return joinBytes(header, ...parts);
}

function utf16(text: string): Uint8Array {
  const bytes = new Uint8Array(text.length * 2);
  const view = new DataView(bytes.buffer);
  for (let at = 0; at < text.length; at++) view.setUint16(at * 2, text.charCodeAt(at), true);
  return bytes;
}

/** 100 ns since 1601-01-01 ([MS-DTYP] 2.3.3). */
function fileTime(ms: number): Uint8Array {
  const bytes = new Uint8Array(8);
  new DataView(bytes.buffer).setBigUint64(0, (BigInt(Math.round(ms)) + 11_644_473_600_000n) * 10_000n, true);
  return bytes;
}
