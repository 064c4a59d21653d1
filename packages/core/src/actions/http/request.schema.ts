import * as z from 'zod';
import { CheckSchema } from '../../check/check.schema.js';
import { TemplateSchema } from '../../values/template.schema.js';
import { ContentSchema, HarmlessSchema } from '../content.schema.js';

/** What a good answer looks like; it catches failures that come with a successful status. */
export const ExpectationSchema = z.object({
  statuses: z.array(z.number().int()),
  /** Kind of content, such as `html` or `json`; null where the take had none. */
  content: ContentSchema.nullable(),
  /** Path shape of the redirect target. */
  redirect: z.string().nullable(),
  /** Further places that a redirect may lead to, as path shapes: the tester accepted them. */
  otherRedirects: z.array(z.string()).optional(),
  /** Shape of the page's title. */
  title: z.string().nullable(),
  /** Name of the root element of an XML answer. */
  rootElement: z.string().nullable(),
  /** Differences from the take that the tester looked at and takes as harmless in this step. */
  harmless: HarmlessSchema.optional(),
});
export type Expectation = z.infer<typeof ExpectationSchema>;

export const RequestStepSchema = z.object({
  kind: z.literal('request'),
  id: z.string(),
  name: z.string(),
  /** Number of the exchange in the take; null for a step made by hand. */
  exchange: z.number().int().nullable(),
  /** Exchanges of the redirects that this step follows, in order; the last one's response is the step's answer. */
  hops: z.array(z.number().int()).optional(),
  method: z.string(),
  /** Recorded origin, such as `http://127.0.0.1:4701`; the environment maps it. */
  origin: z.string(),
  /** Path and query. */
  url: TemplateSchema,
  headers: z.array(z.object({ name: z.string(), value: TemplateSchema })),
  body: TemplateSchema.nullable(),
  /** Hash of a stored body that is sent as it is. */
  bodyFile: z.string().nullable(),
  expect: ExpectationSchema,
  followRedirects: z.boolean(),
  /** Looked at one after another, once the answer is as expected; absent where there are none. */
  checks: z.array(CheckSchema).optional(),
  /** The name by which messages know the WebSocket (RFC 6455) whose handshake this request is; absent where it opens none. */
  opensSocket: z.string().min(1).optional(),
  /** Asks the target for HTTP/2 (RFC 9113), over TLS; absent where HTTP/1.1 is spoken. */
  http2: z.literal(true).optional(),
});
export type RequestStep = z.infer<typeof RequestStepSchema>;
