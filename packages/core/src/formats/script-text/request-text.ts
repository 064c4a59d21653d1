import * as z from 'zod';
import { ExpectationSchema, type Expectation, type RequestStep } from '../../actions/http/request.schema.js';
import type { ActionText } from './action-text.js';
import { CheckTextSchema, RecordedSchema } from './check-text.schema.js';

/** A request as text. */
export const RequestTextSchema = z.strictObject({
  request: z.string().describe('method and name, such as “POST /sign-in”'),
  id: z.string().optional().describe('left out, it is made of what the step is'),
  exchange: z.number().int().nullable().optional(),
  hops: z.array(z.number().int()).optional(),
  origin: z.string().optional().describe('where it goes to; left out, the origin of the script'),
  url: z.string().optional().describe('path and query; left out, what stands behind the method'),
  headers: z.array(z.record(z.string(), z.string())).optional(),
  body: z.string().optional(),
  bodyFile: z.string().optional().describe('hash of a stored body that is sent as it is'),
  recorded: RecordedSchema.describe('what was recorded in a piece, where it differs from what its value was first'),
  expect: ExpectationSchema.partial().optional(),
  followRedirects: z.boolean().optional(),
  checks: z.array(CheckTextSchema).optional(),
  opensSocket: z.string().min(1).optional().describe('the name by which messages know the WebSocket whose handshake it is'),
  http2: z.literal(true).optional(),
});
export type RequestText = z.infer<typeof RequestTextSchema>;

/** What is expected where a script does not say. */
const nothingExpected: Expectation = { statuses: [200], content: null, redirect: null, title: null, rootElement: null };

/** True where a text can stand behind the method as path and query. */
const isUrl = (text: string): boolean => text.startsWith('/');

/** Requests of HTTP as text. */
export const requestText: ActionText<RequestStep, RequestText> = {
  write: (step, writer) => {
    const url = writer.text(step.url);
    const headers = step.headers.map(({ name, value }) => ({ [name]: writer.text(value) }));
    const body = step.body && writer.text(step.body);
    const checks = (step.checks ?? []).map((check) => writer.check(check));
    const expect = Object.fromEntries(Object.entries(step.expect).filter(([, value]) => value !== null)) as Partial<Expectation>;
    if (expect.statuses?.join() === nothingExpected.statuses.join()) delete expect.statuses;
    const ownName = step.name.startsWith(`${step.method} `) ? step.name : `${step.method} ${step.name}`;
    return {
      request: ownName,
      id: step.id,
      ...(step.exchange === null ? {} : { exchange: step.exchange }),
      ...(step.hops === undefined ? {} : { hops: step.hops }),
      ...writer.origin(step.origin),
      ...(isUrl(url) && ownName === `${step.method} ${url}` ? {} : { url }),
      ...(headers.length === 0 ? {} : { headers }),
      ...(body === null ? {} : { body }),
      ...(step.bodyFile === null ? {} : { bodyFile: step.bodyFile }),
      ...writer.recorded(),
      ...(Object.keys(expect).length === 0 ? {} : { expect }),
      ...(step.followRedirects ? { followRedirects: true } : {}),
      ...(checks.length === 0 ? {} : { checks }),
      ...(step.opensSocket === undefined ? {} : { opensSocket: step.opensSocket }),
      ...(step.http2 && { http2: step.http2 }),
    };
  },
  read: (step, reading, path) => {
    const [method = '', ...name] = step.request.split(' ');
    if (!/^[A-Za-z-]+$/.test(method)) reading.problem([...path, 'request'], 0, 'Write the method first, such as “GET /desk”.');
    const rest = name.join(' ');
    if (step.url === undefined && !isUrl(rest))
      reading.problem([...path, 'request'], 0, 'Write its path behind the method, such as “GET /desk”, or beside it, such as url: /desk.');
    const template = reading.templates(step.recorded);
    const checks = (step.checks ?? []).map((check, at) => reading.check(check, [...path, 'checks', at], template));
    return {
      kind: 'request',
      id: reading.id(step.id, 's', path),
      name: name.length === 0 ? method : step.request,
      exchange: step.exchange ?? null,
      ...(step.hops === undefined ? {} : { hops: step.hops }),
      method,
      origin: reading.origin(step.origin, path),
      url: step.url === undefined ? template(rest, [...path, 'request']) : template(step.url, [...path, 'url']),
      headers: (step.headers ?? []).flatMap((secrets, at) =>
        Object.entries(secrets).map(([header, value]) => ({ name: header, value: template(value, [...path, 'headers', at, header]) })),
      ),
      body: step.body === undefined ? null : template(step.body, [...path, 'body']),
      bodyFile: step.bodyFile ?? null,
      expect: { ...nothingExpected, ...step.expect } as Expectation,
      followRedirects: step.followRedirects ?? false,
      ...(checks.length === 0 ? {} : { checks }),
      ...(step.opensSocket === undefined ? {} : { opensSocket: step.opensSocket }),
      ...(step.http2 && { http2: step.http2 }),
    };
  },
};
