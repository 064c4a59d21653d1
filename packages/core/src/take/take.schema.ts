import * as z from 'zod';
import { GestureSchema } from './gesture.schema.js';

/** A header as it stood on the wire: name in its own case, value. */
export const HeaderSchema = z.tuple([z.string(), z.string()]);
export type Header = z.infer<typeof HeaderSchema>;

/** Points to a stored body. `hash` is the SHA-256 of its decoded bytes in hex, `size` their number. */
export const BodyRefSchema = z.object({
  hash: z.string(),
  size: z.number().int().nonnegative(),
  mimeType: z.string(),
  /** Bytes of the whole body as it was sent, where only its beginning was kept. */
  wholeSize: z.number().int().nonnegative().optional(),
});
export type BodyRef = z.infer<typeof BodyRefSchema>;

/** Phases of one exchange in ms after HAR 1.2; -1 where a phase does not apply. */
export const TimingsSchema = z.object({
  blocked: z.number(),
  dns: z.number(),
  connect: z.number(),
  tls: z.number(),
  send: z.number(),
  wait: z.number(),
  receive: z.number(),
});
export type Timings = z.infer<typeof TimingsSchema>;

/** Nothing was measured. */
export const noTimings: Timings = { blocked: -1, dns: -1, connect: -1, tls: -1, send: -1, wait: -1, receive: -1 };

/** One message of a WebSocket (RFC 6455) or one event of an event stream (HTML standard, 9.2). */
export const MessageSchema = z.object({
  /** ms since the start of the take. */
  atMs: z.number(),
  from: z.enum(['client', 'server']),
  kind: z.enum(['text', 'binary', 'ping', 'pong', 'close', 'event']),
  /** The text, or what is sent with a control frame; empty for a binary message. */
  text: z.string(),
  /** Bytes of a binary message in base64; empty for text. */
  base64: z.string(),
  /** Bytes of the whole message. */
  size: z.number().int().nonnegative(),
});
export type Message = z.infer<typeof MessageSchema>;

const exchangeFields = {
  n: z.number().int().positive(),
  /** ms since the start of the take. */
  startedAtMs: z.number(),
  /** ms from the start of what was sent to the last byte of what answers it. */
  durationMs: z.number(),
  url: z.string(),
};

/** One request with its response, timings and raw headers. */
export const RequestExchangeSchema = z.object({
  kind: z.literal('request'),
  ...exchangeFields,
  method: z.string(),
  httpVersion: z.string(),
  requestHeaders: z.array(HeaderSchema),
  requestBody: BodyRefSchema.nullable(),
  response: z
    .object({
      status: z.number().int(),
      statusText: z.string(),
      httpVersion: z.string(),
      headers: z.array(HeaderSchema),
      body: BodyRefSchema.nullable(),
    })
    .nullable(),
  /** Why there is no response, in a sentence. */
  failure: z.string().nullable(),
  timings: TimingsSchema,
  /** What an imported HAR entry held besides, so that an export loses nothing. */
  harEntry: z.record(z.string(), z.unknown()).nullable(),
  /** Messages in time order; absent where the exchange is no WebSocket and no event stream. */
  messages: z.array(MessageSchema).optional(),
});
export type RequestExchange = z.infer<typeof RequestExchangeSchema>;

/** A message over a WebSocket that a request has opened, and the message that answers it; `url` is where the WebSocket leads. */
export const MessageExchangeSchema = z.object({
  kind: z.literal('message'),
  ...exchangeFields,
  /** Number of the exchange whose handshake opened the WebSocket. */
  openedBy: z.number().int().positive(),
  /** `await` for a message that nobody had asked for, `close` where the client ended the WebSocket. */
  action: z.enum(['send', 'await', 'close']),
  format: z.enum(['text', 'binary']),
  /** Places of the answer that repeat what stands at the same place of the message sent (JSON Pointer, RFC 6901). */
  same: z.array(z.string()),
  /** What the client sent; null where it sent nothing. */
  sent: BodyRefSchema.nullable(),
  /** What the server sent; null where nothing came. */
  answer: BodyRefSchema.nullable(),
});
export type MessageExchange = z.infer<typeof MessageExchangeSchema>;

/** What was sent and what came back. `n` counts from 1 in the order of starts, through all kinds. */
export const ExchangeSchema = z.discriminatedUnion('kind', [RequestExchangeSchema, MessageExchangeSchema]);
export type Exchange = z.infer<typeof ExchangeSchema>;

/** Something noted while recording. */
export const MarkSchema = z.object({
  kind: z.enum(['begin', 'end', 'comment', 'pause', 'resume']),
  atMs: z.number(),
  text: z.string(),
  /** True for a page that a browser wrote into its file: nobody named a transaction by it. */
  page: z.literal(true).optional(),
});
export type Mark = z.infer<typeof MarkSchema>;

/** Something that makes a recording worth less, told while it can still be mended. */
export const WarningSchema = z.object({
  kind: z.enum(['cached', 'not-asked', 'refused-host', 'cut-body', 'certificate', 'connection-sign-in', 'not-kept']),
  /** What it is about; a warning of the same kind about the same thing is told once. */
  about: z.string(),
  /** What happened, and what to do. */
  text: z.string(),
  /** Exchange that shows it. */
  exchange: z.number().int().nullable(),
});
export type Warning = z.infer<typeof WarningSchema>;

/** One recording of one business transaction flow. */
export const TakeSchema = z.object({
  id: z.string(),
  projectId: z.string(),
  name: z.string(),
  /** ISO 8601 time of the first moment of the take. */
  startedAt: z.string(),
  state: z.enum(['recording', 'paused', 'done']),
  marks: z.array(MarkSchema),
  /** What an imported HAR log held besides its entries. */
  harLog: z.record(z.string(), z.unknown()).nullable(),
  /** What was told while recording. */
  warnings: z.array(WarningSchema).optional(),
  /** What a person did in the clean browser, in order; absent where nothing of it was recorded. */
  gestures: z.array(GestureSchema).optional(),
  /** The take whose gestures were played again to make this one; absent where a person played. */
  playedFrom: z.string().optional(),
  /** The script for which it was put together of pieces of several takes; absent for one that was recorded. */
  madeFor: z.string().optional(),
});
export type Take = z.infer<typeof TakeSchema>;

/** Gives the text of a stored body; undefined where the body is not at hand or is no text. */
export type BodyReader = (hash: string) => string | undefined;

/** All of a take that computation needs. */
export interface LoadedTake {
  take: Take;
  exchanges: Exchange[];
  readBody: BodyReader;
  /** Bytes of bodies that are no text throughout, such as uploads; absent where only texts are at hand. */
  readBytes?: (hash: string) => Uint8Array | undefined;
}
