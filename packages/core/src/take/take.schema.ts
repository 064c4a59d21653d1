import * as z from 'zod';

/** A header as it stood on the wire: name in its own case, value. */
export const HeaderSchema = z.tuple([z.string(), z.string()]);
export type Header = z.infer<typeof HeaderSchema>;

/** Points to a stored body. `hash` is the SHA-256 of its decoded bytes in hex, `size` their number. */
export const BodyRefSchema = z.object({
  hash: z.string(),
  size: z.number().int().nonnegative(),
  mimeType: z.string(),
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

/** One request with its response, timings and raw headers. `n` counts from 1 in order of request start. */
export const ExchangeSchema = z.object({
  n: z.number().int().positive(),
  /** ms since the start of the take. */
  startedAtMs: z.number(),
  /** ms from the start of the request to the last byte of the response. */
  durationMs: z.number(),
  method: z.string(),
  url: z.string(),
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
});
export type Exchange = z.infer<typeof ExchangeSchema>;

/** Something noted while recording. */
export const MarkSchema = z.object({
  kind: z.enum(['begin', 'end', 'comment']),
  atMs: z.number(),
  text: z.string(),
});
export type Mark = z.infer<typeof MarkSchema>;

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
});
export type Take = z.infer<typeof TakeSchema>;

/** Gives the text of a stored body; undefined where the body is not at hand or is no text. */
export type BodyReader = (hash: string) => string | undefined;

/** All of a take that computation needs. */
export interface LoadedTake {
  take: Take;
  exchanges: Exchange[];
  readBody: BodyReader;
}
