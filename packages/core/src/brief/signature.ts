import { sha256 } from '@noble/hashes/sha2';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils';
import type { Brief, Signature } from './brief.schema.js';

/** The fingerprint of all that is signed: SHA-256 over the brief without its signatures, its members in the order of their names. */
export function fingerprintOf({ signatures: _signatures, ...brief }: Brief): string {
  return bytesToHex(sha256(utf8ToBytes(JSON.stringify(inOrder(brief)))));
}

function inOrder(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(inOrder);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value)
      .sort(([left], [right]) => (left < right ? -1 : 1))
      .map(([name, inner]) => [name, inOrder(inner)]),
  );
}

/** A signature, and whether what was signed is what the brief says now. */
export interface SignatureState extends Signature {
  holds: boolean;
}

export function signatureStates(brief: Brief): SignatureState[] {
  const now = fingerprintOf(brief);
  return brief.signatures.map((signature) => ({ ...signature, holds: signature.fingerprint === now }));
}

/** The brief, signed as it is now. Somebody who had signed before signs anew. */
export function signBrief(brief: Brief, { by, role, at }: Pick<Signature, 'by' | 'role' | 'at'>): Brief {
  const others = brief.signatures.filter((signature) => signature.by !== by);
  return { ...brief, signatures: [...others, { by, role, at, fingerprint: fingerprintOf(brief) }] };
}

/** Who has to be asked again, in a sentence; null where every signature holds, or there is none. */
export function askAgain(brief: Brief): string | null {
  const gone = signatureStates(brief).filter(({ holds }) => !holds);
  if (gone.length === 0) return null;
  return `The brief was changed after ${gone.map(({ by }) => by).join(', ')} signed it. Ask ${gone.length === 1 ? 'them' : 'all of them'} again.`;
}
