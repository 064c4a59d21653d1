import * as z from 'zod';

const NameValue = z.looseObject({ name: z.string(), value: z.string() });

/** The parts of a HAR 1.2 entry that we read; all else is kept as it came. */
export const HarEntrySchema = z.looseObject({
  startedDateTime: z.string(),
  time: z.number().nullish(),
  request: z.looseObject({
    method: z.string(),
    url: z.string(),
    httpVersion: z.string().nullish(),
    headers: z.array(NameValue),
    postData: z
      .looseObject({
        mimeType: z.string().nullish(),
        text: z.string().nullish(),
        params: z.array(z.looseObject({ name: z.string(), value: z.string().nullish() })).nullish(),
      })
      .nullish(),
  }),
  response: z.looseObject({
    status: z.number(),
    statusText: z.string().nullish(),
    httpVersion: z.string().nullish(),
    headers: z.array(NameValue),
    content: z
      .looseObject({
        size: z.number().nullish(),
        mimeType: z.string().nullish(),
        text: z.string().nullish(),
        encoding: z.string().nullish(),
      })
      .nullish(),
  }),
  timings: z
    .looseObject({
      blocked: z.number().nullish(),
      dns: z.number().nullish(),
      connect: z.number().nullish(),
      ssl: z.number().nullish(),
      send: z.number().nullish(),
      wait: z.number().nullish(),
      receive: z.number().nullish(),
    })
    .nullish(),
});
export type HarEntry = z.infer<typeof HarEntrySchema>;

export const HarSchema = z.looseObject({ log: z.looseObject({ entries: z.array(z.unknown()) }) });

/** Messages of a WebSocket, as browsers write them in addition to the fields of HAR 1.2. */
export const SocketMessagesSchema = z.array(
  z.looseObject({ type: z.enum(['send', 'receive']), time: z.number(), opcode: z.number(), data: z.string() }),
);
