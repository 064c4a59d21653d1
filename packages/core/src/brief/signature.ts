import { sha256 } from '@noble/hashes/sha2';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils';
import type { Brief, BriefContent, Signature } from './brief.schema.js';

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

/** What each part of a brief is called on its page and in its document. */
const partNames: Readonly<Record<keyof BriefContent, string>> = {
  title: 'title',
  aims: 'aims',
  hosts: 'hosts',
  links: 'connections',
  capacityPercent: 'share of production',
  capacityReason: 'share of production',
  transactions: 'key transactions',
  defaultLimit: 'default limit',
  errorPercent: 'error rate',
  hostLimits: 'limits of hosts',
  thinkTimes: 'think times',
  data: 'data',
  assumptions: 'assumptions',
  risks: 'risks',
  questions: 'open questions',
  schedule: 'schedule',
  pacing: 'pacing',
};

/** A signature, whether what was signed is what the brief says now, and which parts were changed since. */
export interface SignatureState extends Omit<Signature, 'signed'> {
  holds: boolean;
  changed: string[];
  isKept: boolean;
}

export function signatureStates(brief: Brief): SignatureState[] {
  const now = fingerprintOf(brief);
  return brief.signatures.map(({ signed, ...signature }) => ({
    ...signature,
    holds: signature.fingerprint === now,
    changed: signed ? changedParts(signed, brief) : [],
    isKept: signed !== undefined,
  }));
}

function changedParts(before: BriefContent, after: BriefContent): string[] {
  const parts = Object.keys(partNames) as (keyof BriefContent)[];
  return [
    ...new Set(
      parts.filter((part) => JSON.stringify(inOrder(before[part])) !== JSON.stringify(inOrder(after[part]))).map((part) => partNames[part]),
    ),
  ];
}

/** The brief as somebody signed it, with that signature alone; null where they did not, or nobody kept what they signed. */
export function briefAsSigned(brief: Brief, by: string): Brief | null {
  const signature = brief.signatures.find((known) => known.by === by);
  return signature?.signed ? { ...signature.signed, signatures: [signature] } : null;
}

/** The brief, signed as it is now. Somebody who had signed before signs anew. */
export function signBrief(brief: Brief, { by, role, at }: Pick<Signature, 'by' | 'role' | 'at'>): Brief {
  const { signatures, ...signed } = brief;
  const others = signatures.filter((signature) => signature.by !== by);
  return { ...brief, signatures: [...others, { by, role, at, fingerprint: fingerprintOf(brief), signed }] };
}

/** Who has to be asked again, in a sentence; null where every signature holds, or there is none. */
export function askAgain(brief: Brief): string | null {
  const gone = signatureStates(brief).filter(({ holds }) => !holds);
  if (gone.length === 0) return null;
  return `The brief was changed after ${gone.map(({ by }) => by).join(', ')} signed it. Ask ${gone.length === 1 ? 'them' : 'all of them'} again.`;
}
