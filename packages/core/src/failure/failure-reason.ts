import { wordsOfCode, type FailureCode } from './failure-codes.js';

/** Why a step failed. */
export interface FailureReason {
  code: FailureCode;
  /** What tells failures of one code apart, whatever the sentence says: a status, the id of a check, a failure sign; empty where nothing does. */
  subject: string;
  /** The sentence for people; it may be worded anew at any time. */
  text: string;
}

/** A reason without or with a subject. */
export const failureReason = (code: FailureCode, text: string, subject = ''): FailureReason => ({ code, subject, text });

/** The kind of a failure, by which failures are grouped, in one text: its code, and its subject behind a colon. */
export const failureKind = ({ code, subject }: { code: string; subject: string }): string =>
  code === '' || subject === '' ? code + subject : `${code}:${subject}`;

/** The kind of a failure in a few words. What earlier versions wrote in its place is left as it is. */
export function failureKindWords(kind: string): string {
  const colon = kind.indexOf(':');
  const [code, subject] = colon < 0 ? [kind, ''] : [kind.slice(0, colon), kind.slice(colon + 1)];
  const words = wordsOfCode(code);
  if (words === null) return kind;
  // The id of a check says nothing to people.
  return subject === '' || code.startsWith('check-') ? words.title : `${words.title}: ${subject}`;
}
