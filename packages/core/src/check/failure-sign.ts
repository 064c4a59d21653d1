import * as z from 'zod';
import { cutText } from '../cut-text.js';
import { failureReason, type FailureReason } from '../failure/failure-reason.js';
import { viewOf, type AnswerText } from '../answers/response-view.js';
import type { LoadedTake } from '../take/take.schema.js';

/**
 * What no good answer holds, whatever its status and whatever script asked for it: a text, a title of a page (as a whole or a part of it),
 * or an element of XML or a member of JSON that is there and not empty.
 */
export const FailureSignSchema = z.object({
  kind: z.enum(['text', 'title', 'element']),
  text: z.string().trim().min(1, 'Write what an answer that failed holds.').max(500),
});
export type FailureSign = z.infer<typeof FailureSignSchema>;

/** Signs as they may be written in a file: a text alone stands for a sign of that text. */
export const WrittenFailureSignSchema = z.union([
  z
    .string()
    .min(1)
    .transform((text): FailureSign => ({ kind: 'text', text })),
  FailureSignSchema,
]);

/** Where an answer holds a sign, in words; null where it does not. */
function found(response: AnswerText, { kind, text }: FailureSign): string | null {
  switch (kind) {
    case 'text':
      return response.body.includes(text) ? `It says “${cutText(text, 140)}”` : null;
    case 'title':
      return response.kind === 'html' && response.title.includes(text) ? `The page is called “${cutText(response.title, 140)}”` : null;
    case 'element':
      return response.kind === 'xml' ? xmlElement(response.body, text) : response.kind === 'json' ? jsonMember(response.json, text) : null;
  }
}

function xmlElement(body: string, name: string): string | null {
  const quoted = name.replace(/[^\w-]/g, '\\$&');
  const begin = new RegExp(`<(?:[\\w.-]{1,100}:)?${quoted}(?=[\\s>])`, 'g');
  const start = begin.exec(body);
  // A tag ends at the next bracket; where there is none, none of those that begin later ends either.
  const end = start ? body.indexOf('>', begin.lastIndex) : -1;
  if (end < 0) return null;
  const next = body.indexOf('<', end);
  const text = body.slice(end + 1, next < 0 ? body.length : next).trim();
  return `It holds the element <${name}>${text === '' ? '' : ` with “${cutText(text, 140)}”`}`;
}

const deepest = 40;

function jsonMember(value: unknown, name: string, depth = 0): string | null {
  if (typeof value !== 'object' || value === null || depth > deepest) return null;
  for (const [key, member] of Object.entries(value)) {
    const isEmpty = member === null || member === false || member === '' || (Array.isArray(member) && member.length === 0);
    if (key === name && !isEmpty) return `It holds “${name}” with ${cutText(JSON.stringify(member), 140)}`;
    const inside = jsonMember(member, name, depth + 1);
    if (inside !== null) return inside;
  }
  return null;
}

/** Why an answer fails by the first of these signs that it holds; null where it holds none. */
export function signOf(response: AnswerText, signs: readonly FailureSign[]): FailureReason | null {
  if (signs.length === 0 || response.kind === 'binary') return null;
  for (const sign of signs) {
    const foundText = found(response, sign);
    if (foundText !== null)
      return failureReason('failure-sign', `${foundText}, which is a failure sign.`, cutText(`${sign.kind} ${sign.text}`, 80));
  }
  return null;
}

/** Answers of a take that hold a sign: where it is good, none does. */
export function heldBy(take: LoadedTake, sign: FailureSign, most: number): { exchange: number; url: string; sentence: string }[] {
  const held: { exchange: number; url: string; sentence: string }[] = [];
  for (const exchange of take.exchanges) {
    if (held.length >= most) break;
    const view = viewOf(exchange, take.readBody);
    const reason = view && signOf(view, [sign]);
    if (reason) held.push({ exchange: exchange.n, url: exchange.url, sentence: reason.text });
  }
  return held;
}
