import * as z from 'zod';
import { actionKinds } from '../../actions/action-kinds.js';
import type { LineStep } from '../../actions/line/line.schema.js';
import type { ActionText } from './action-text.js';
import { CheckTextSchema, RecordedSchema } from './check-text.schema.js';

/** A line over a TCP connection as text. */
export const LineTextSchema = z.strictObject({
  line: z.string().describe('name of the step'),
  id: z.string().optional(),
  origin: z.string().optional().describe('where the connection leads, such as tcp://127.0.0.1:9100; left out, the origin of the script'),
  send: z.string().optional().describe('the line to be sent, without its end'),
  expect: z
    .string()
    .optional()
    .describe('a text that the answering line holds; empty where any line will do, absent where none is awaited'),
  recorded: RecordedSchema,
  checks: z.array(CheckTextSchema).optional(),
});
export type LineText = z.infer<typeof LineTextSchema>;

/** Lines over TCP connections as text. */
export const lineText: ActionText<LineStep, LineText> = {
  write: (step, writer) => {
    const send = step.send && writer.text(step.send);
    const expect = step.expect && writer.text(step.expect);
    const checks = (step.checks ?? []).map((check) => writer.check(check));
    return {
      line: step.name,
      id: step.id,
      ...writer.origin(step.origin),
      ...(send === null ? {} : { send }),
      ...(expect === null ? {} : { expect }),
      ...writer.recorded(),
      ...(checks.length === 0 ? {} : { checks }),
    };
  },
  read: (text, reading, path) => {
    const origin = reading.origin(text.origin, path);
    if (URL.canParse(origin) && new URL(origin).protocol !== 'tcp:')
      reading.problem([...path, 'origin'], 0, `Lines go over TCP. Write an origin such as tcp://127.0.0.1:9100 instead of “${origin}”.`);
    const template = reading.templates(text.recorded);
    const checks = (text.checks ?? []).map((check, at) => reading.check(check, [...path, 'checks', at], template));
    for (const [at, { checked }] of checks.entries())
      if (!actionKinds.line.checks.includes(checked.kind))
        reading.problem([...path, 'checks', at], 0, `A line has nothing that a check of its ${checked.kind} could look at.`);
    return {
      kind: 'line',
      id: reading.id(text.id, 's', path),
      name: text.line,
      origin,
      send: text.send === undefined ? null : template(text.send, [...path, 'send']),
      expect: text.expect === undefined ? null : template(text.expect, [...path, 'expect']),
      ...(checks.length === 0 ? {} : { checks }),
    };
  },
};
