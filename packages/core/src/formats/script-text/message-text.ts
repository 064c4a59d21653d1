import * as z from 'zod';
import { actionKinds } from '../../actions/action-kinds.js';
import {
  MessageExpectationSchema,
  usualAwaitMs,
  type Awaited,
  type MessageExpectation,
  type MessageStep,
} from '../../actions/message/message.schema.js';
import type { ActionText } from './action-text.js';
import { CheckTextSchema, RecordedSchema } from './check-text.schema.js';

const AwaitedTextSchema = z.strictObject({
  same: z.array(z.string()).optional().describe('places (JSON Pointer) that repeat what was sent there'),
  holds: z.array(CheckTextSchema).optional().describe('what holds of the message'),
  atMostMs: z.number().int().min(1).max(600_000).optional().describe(`${usualAwaitMs} where it is left out`),
});

/** A message over a WebSocket as text. */
export const MessageTextSchema = z.strictObject({
  message: z.string().describe('SEND, AWAIT or CLOSE, and a name, such as “SEND claim”'),
  id: z.string().optional().describe('left out, it is made of what the step is'),
  over: z.string().min(1).describe('the WebSocket, by the name that the request which opens it gives'),
  exchange: z.number().int().nullable().optional(),
  format: z.enum(['text', 'binary']).optional(),
  body: z.string().optional().describe('the message that is sent'),
  bodyFile: z.string().optional().describe('hash of a stored body that is sent as it is'),
  recorded: RecordedSchema.describe('what was recorded in a piece, where it differs from what its value was first'),
  awaits: AwaitedTextSchema.optional().describe('the message that is waited for'),
  expect: MessageExpectationSchema.partial().optional(),
  checks: z.array(CheckTextSchema).optional(),
});
export type MessageText = z.infer<typeof MessageTextSchema>;

const actionOf = (word: string): MessageStep['action'] | undefined =>
  (['send', 'await', 'close'] as const).find((action) => action === word.toLowerCase());

/** Messages over WebSockets as text. */
export const messageText: ActionText<MessageStep, MessageText> = {
  write: (step, writer) => {
    const verb = actionKinds.message.verb(step);
    const body = step.body && writer.text(step.body);
    const checks = (step.checks ?? []).map((check) => writer.check(check));
    const { same = [], holds = [], atMostMs } = step.awaits ?? {};
    const awaits = atMostMs !== undefined && {
      ...(same.length === 0 ? {} : { same }),
      ...(holds.length === 0 ? {} : { holds: holds.map((checked) => writer.checked(checked)) }),
      atMostMs,
    };
    const expect = Object.fromEntries(Object.entries(step.expect).filter(([, value]) => value !== null)) as Partial<MessageExpectation>;
    return {
      message: step.name === verb || step.name.startsWith(`${verb} `) ? step.name : `${verb} ${step.name}`,
      id: step.id,
      over: step.socket,
      ...(step.exchange === null ? {} : { exchange: step.exchange }),
      ...(step.format === 'text' ? {} : { format: step.format }),
      ...(body === null ? {} : { body }),
      ...(step.bodyFile === null ? {} : { bodyFile: step.bodyFile }),
      ...writer.recorded(),
      ...(awaits && { awaits }),
      ...(Object.keys(expect).length === 0 ? {} : { expect }),
      ...(checks.length === 0 ? {} : { checks }),
    };
  },
  read: (text, reading, path) => {
    const action = actionOf(text.message.split(' ')[0] ?? '');
    if (!action) reading.problem([...path, 'message'], 0, 'Write SEND, AWAIT or CLOSE first, such as “SEND claim”.');
    if (action === 'await' && !text.awaits)
      reading.problem([...path, 'message'], 0, 'Write under “awaits” which message is waited for, and for how long.');
    if (action === 'close' && text.awaits)
      reading.problem([...path, 'awaits'], 0, 'A step that closes a WebSocket waits for no message. Take this out.');
    const template = reading.templates(text.recorded);
    const { content = null, harmless } = text.expect ?? {};
    const checks = (text.checks ?? []).map((check, at) => reading.check(check, [...path, 'checks', at], template));
    for (const [at, { checked }] of checks.entries())
      if (!actionKinds.message.checks.includes(checked.kind))
        reading.problem([...path, 'checks', at], 0, `A message has nothing that a check of its ${checked.kind} could look at.`);
    const awaits: Awaited | null = text.awaits
      ? {
          same: text.awaits.same ?? [],
          holds: (text.awaits.holds ?? []).map((held, at) => reading.checked(held, [...path, 'awaits', 'holds', at], template)),
          atMostMs: text.awaits.atMostMs ?? usualAwaitMs,
        }
      : null;
    return {
      kind: 'message',
      id: reading.id(text.id, 's', path),
      name: text.message,
      exchange: text.exchange ?? null,
      socket: text.over,
      action: action ?? 'send',
      format: text.format ?? 'text',
      body: text.body === undefined ? null : template(text.body, [...path, 'body']),
      bodyFile: text.bodyFile ?? null,
      awaits,
      expect: { content, ...(harmless && { harmless }) },
      ...(checks.length === 0 ? {} : { checks }),
    };
  },
};
