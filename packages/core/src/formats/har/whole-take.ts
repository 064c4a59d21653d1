import * as z from 'zod';
import { base64ToBytes, bytesToBase64 } from '../../bytes.js';
import {
  MessageExchangeSchema,
  RequestExchangeSchema,
  TakeSchema,
  type BodyRef,
  type MessageExchange,
  type RequestExchange,
  type Take,
} from '../../take/take.schema.js';
import type { HarEntry } from './har.schema.js';

// HAR 1.2 has no room for all that a take holds. Members whose names begin with an underscore are for whoever writes the file, and so a file of
// a project says the rest there: what reads HAR reads it as any other, and read back here nothing is lost.

/** The exchange of an entry as it was stored, but for its bodies. */
const exchangeMember = '_exchange';
/** The take but for its exchanges. */
const takeMember = '_take';
/** Messages over WebSockets that are exchanges of their own, with their bodies in base64. */
const messagesMember = '_messages';

/** `imported` where the log came from another program and stands around it. */
const WholeTakeSchema = TakeSchema.omit({ projectId: true, harLog: true }).extend({ imported: z.boolean() });
const WholeMessagesSchema = z.array(
  z.object({
    exchange: MessageExchangeSchema.extend({ url: z.url({ protocol: /^(wss?|https?)$/ }) }),
    sent: z.string().nullable(),
    answer: z.string().nullable(),
  }),
);

/**
 * The exchange of an entry: as it was stored where the entry says it, and is still about the same request, else as it was read. Bodies are those that were
 * read.
 */
export function asStored(entry: HarEntry, read: RequestExchange): RequestExchange {
  const stored = RequestExchangeSchema.safeParse(entry[exchangeMember]);
  // Only the address that was read is known to be one.
  if (!stored.success || stored.data.url !== read.url || stored.data.method !== read.method) return read;
  const { [exchangeMember]: _stored, ...harEntry } = read.harEntry ?? {};
  const body = (own: BodyRef | null | undefined, kept: BodyRef | null): BodyRef | null =>
    // The reference that was read gets its hash later, so it is changed and not copied.
    own && kept
      ? Object.assign(own, { mimeType: kept.mimeType }, kept.wholeSize === undefined ? {} : { wholeSize: kept.wholeSize })
      : (own ?? null);
  const { response, requestBody } = stored.data;
  return {
    ...stored.data,
    requestBody: body(read.requestBody, requestBody),
    response: response && { ...response, body: body(read.response?.body, response.body) },
    harEntry: stored.data.harEntry === null ? null : harEntry,
  };
}

/** An entry with all of its exchange. What an import brought besides stands around it already. */
export const entryWithAll = (entry: HarEntry, exchange: RequestExchange): HarEntry => ({
  ...entry,
  [exchangeMember]: { ...exchange, harEntry: exchange.harEntry === null ? null : {} },
});

/** What a log says besides its entries, so that nothing of the take is lost. `readBytes` gives the bodies of messages. */
export function membersWithAll(
  { projectId: _project, harLog, ...take }: Take,
  messages: readonly MessageExchange[],
  readBytes: (hash: string) => Uint8Array | undefined,
): Record<string, unknown> {
  const text = (ref: BodyRef | null): string | null => {
    const bytes = ref && readBytes(ref.hash);
    return bytes ? bytesToBase64(bytes) : null;
  };
  return {
    [takeMember]: { ...take, imported: harLog !== null },
    ...(messages.length === 0
      ? {}
      : { [messagesMember]: messages.map((exchange) => ({ exchange, sent: text(exchange.sent), answer: text(exchange.answer) })) }),
  };
}

/** A take that a log holds whole: but for its requests, which stand in its entries. */
export interface WholeTake {
  take: Omit<Take, 'projectId'>;
  messages: MessageExchange[];
}

/** What `membersWithAll` wrote; null where the log does not say it. `put` stores the bodies of messages. */
export function readWholeTake(
  { [takeMember]: written, [messagesMember]: writtenMessages, ...log }: Record<string, unknown>,
  put: (bytes: Uint8Array, mimeType: string) => BodyRef,
): WholeTake | null {
  const read = WholeTakeSchema.safeParse(written);
  if (!read.success) return null;
  const { imported, ...take } = read.data;
  const body = (ref: BodyRef | null, base64: string | null): BodyRef | null =>
    ref && base64 !== null ? { ...ref, hash: put(base64ToBytes(base64), ref.mimeType).hash } : ref;
  const messages = (WholeMessagesSchema.safeParse(writtenMessages).data ?? []).map(({ exchange, sent, answer }): MessageExchange => ({
    ...exchange,
    sent: body(exchange.sent, sent),
    answer: body(exchange.answer, answer),
  }));
  return { take: { ...take, harLog: imported ? log : null }, messages };
}
