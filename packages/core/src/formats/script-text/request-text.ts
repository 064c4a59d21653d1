import * as z from 'zod';
import { ExpectationSchema, type Awaited, type Expectation, type RequestStep, type SocketUse } from '../../actions/http/request.schema.js';
import type { ActionText, StepReading, TemplateReader } from './action-text.js';
import { CheckTextSchema, RecordedSchema } from './check-text.schema.js';
import type { StepWriter } from './step-writer.js';

const AwaitedText = z.strictObject({
  same: z.array(z.string()).optional().describe('places (JSON Pointer) that repeat what was sent there'),
  holds: z.array(CheckTextSchema).optional().describe('what holds of the message'),
  atMostMs: z.number().int().min(1).max(600_000),
});

/** What a step does with a WebSocket, as text; the first key says it. */
export const SocketTextSchema = z.union([
  z.strictObject({ open: z.string().min(1).describe('the name by which later steps know the WebSocket') }),
  z.strictObject({
    send: z.string().min(1).describe('the WebSocket over which the body is sent'),
    format: z.enum(['text', 'binary']).optional(),
    awaits: AwaitedText.optional(),
  }),
  z.strictObject({ await: z.string().min(1), awaits: AwaitedText }),
  z.strictObject({ close: z.string().min(1) }),
]);
export type SocketText = z.infer<typeof SocketTextSchema>;

/** A request as text. */
export const RequestTextSchema = z.strictObject({
  request: z.string().describe('method and name, such as “POST /sign-in”'),
  id: z.string(),
  exchange: z.number().int().nullable().optional(),
  hops: z.array(z.number().int()).optional(),
  origin: z.string(),
  url: z.string(),
  headers: z.array(z.record(z.string(), z.string())).optional(),
  body: z.string().optional(),
  bodyFile: z.string().optional().describe('hash of a stored body that is sent as it is'),
  recorded: RecordedSchema.describe('what was recorded in a piece, where it differs from what its value was first'),
  expect: ExpectationSchema.partial().optional(),
  followRedirects: z.boolean().optional(),
  checks: z.array(CheckTextSchema).optional(),
  socket: SocketTextSchema.optional(),
  http2: z.literal(true).optional(),
});
export type RequestText = z.infer<typeof RequestTextSchema>;

/** What is expected where a script does not say. */
const nothingExpected: Expectation = { statuses: [200], content: null, redirect: null, title: null, rootElement: null };

/** Requests of HTTP, and messages over WebSockets, as text. */
export const requestText: ActionText<RequestStep, RequestText> = {
  write: (step, writer) => {
    const url = writer.text(step.url);
    const headers = step.headers.map(({ name, value }) => ({ [name]: writer.text(value) }));
    const body = step.body && writer.text(step.body);
    const checks = (step.checks ?? []).map((check) => writer.check(check));
    const socket = step.socket && socketToText(step.socket, writer);
    const expect = Object.fromEntries(Object.entries(step.expect).filter(([, value]) => value !== null)) as Partial<Expectation>;
    const ownName = step.name.startsWith(`${step.method} `) ? step.name : `${step.method} ${step.name}`;
    return {
      request: ownName,
      id: step.id,
      ...(step.exchange === null ? {} : { exchange: step.exchange }),
      ...(step.hops === undefined ? {} : { hops: step.hops }),
      origin: step.origin,
      url,
      ...(headers.length === 0 ? {} : { headers }),
      ...(body === null ? {} : { body }),
      ...(step.bodyFile === null ? {} : { bodyFile: step.bodyFile }),
      ...writer.recorded(),
      expect,
      ...(step.followRedirects ? { followRedirects: true } : {}),
      ...(checks.length === 0 ? {} : { checks }),
      ...(socket && { socket }),
      ...(step.http2 && { http2: step.http2 }),
    };
  },
  read: (step, reading, path) => {
    const [method = '', ...name] = step.request.split(' ');
    if (!/^[A-Za-z-]+$/.test(method)) reading.problem([...path, 'request'], 0, 'Write the method first, such as “GET /desk”.');
    reading.origin(step.origin, path);
    const template = reading.templates(step.recorded);
    const checks = (step.checks ?? []).map((check, at) => reading.check(check, [...path, 'checks', at], template));
    return {
      kind: 'request',
      id: reading.id(step.id, 's', path),
      name: name.length === 0 ? method : step.request,
      exchange: step.exchange ?? null,
      ...(step.hops === undefined ? {} : { hops: step.hops }),
      method,
      origin: step.origin,
      url: template(step.url, [...path, 'url']),
      headers: (step.headers ?? []).flatMap((secrets, at) =>
        Object.entries(secrets).map(([header, value]) => ({ name: header, value: template(value, [...path, 'headers', at, header]) })),
      ),
      body: step.body === undefined ? null : template(step.body, [...path, 'body']),
      bodyFile: step.bodyFile ?? null,
      expect: { ...nothingExpected, ...step.expect } as Expectation,
      followRedirects: step.followRedirects ?? false,
      ...(checks.length === 0 ? {} : { checks }),
      ...(step.socket && { socket: socketFromText(step.socket, reading, [...path, 'socket'], template) }),
      ...(step.http2 && { http2: step.http2 }),
    };
  },
};

function socketToText(use: SocketUse, writer: StepWriter): SocketText {
  const awaited = ({ same, holds, atMostMs }: Awaited) => ({
    ...(same.length === 0 ? {} : { same }),
    ...(holds.length === 0 ? {} : { holds: holds.map((checked) => writer.checked(checked)) }),
    atMostMs,
  });
  switch (use.action) {
    case 'open':
      return { open: use.socket };
    case 'send':
      return {
        send: use.socket,
        ...(use.format === 'text' ? {} : { format: use.format }),
        ...(use.awaits && { awaits: awaited(use.awaits) }),
      };
    case 'await':
      return { await: use.socket, awaits: awaited(use.awaits) };
    case 'close':
      return { close: use.socket };
  }
}

function socketFromText(text: SocketText, reading: StepReading, path: PropertyKey[], template: TemplateReader): SocketUse {
  const awaited = ({ same, holds, atMostMs }: Extract<SocketText, { await: string }>['awaits']): Awaited => ({
    same: same ?? [],
    holds: (holds ?? []).map((checkText, at) => reading.checked(checkText, [...path, 'awaits', 'holds', at], template)),
    atMostMs,
  });
  if ('open' in text) return { action: 'open', socket: text.open };
  if ('send' in text)
    return { action: 'send', socket: text.send, format: text.format ?? 'text', awaits: text.awaits ? awaited(text.awaits) : null };
  if ('await' in text) return { action: 'await', socket: text.await, awaits: awaited(text.awaits) };
  return { action: 'close', socket: text.close };
}
