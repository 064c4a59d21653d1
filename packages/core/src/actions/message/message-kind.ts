import { checkKindNames } from '../../check/check.schema.js';
import { changeCheck, changeChecked, checkedWords, checkWords } from '../../check/check-templates.js';
import { extractorKindNames } from '../../extractors/extractor.schema.js';
import type { ActionKind } from '../action-kind.js';
import { boundValues } from '../sent-parts.js';
import type { CapturedMessage, MessageStep } from './message.schema.js';

/** Messages over WebSockets. They have neither status nor headers. */
export const messageKind: ActionKind<MessageStep, CapturedMessage> = {
  noun: 'message',
  nouns: 'messages',
  changeTemplates: (step, change) => ({
    ...step,
    body: step.body && change(step.body),
    ...(step.checks && { checks: step.checks.map((check) => changeCheck(check, change)) }),
    awaits: step.awaits && { ...step.awaits, holds: step.awaits.holds.map((checked) => changeChecked(checked, change)) },
  }),
  templateWords: ({ body, checks, awaits }) => [
    ...(body ? ['message'] : []),
    ...checkWords(checks),
    ...(awaits?.holds ?? []).flatMap((checked) => checkedWords(checked, 'awaited message')),
  ],
  sent: ({ body }) => (body ? [body] : []),
  verb: ({ action }) => action.toUpperCase(),
  shortName: ({ name, action }) => (name.startsWith(`${action.toUpperCase()} `) ? name.slice(action.length + 1) : name),
  mayChange: ({ action }) => action === 'send',
  values: boundValues,
  files: ({ bodyFile }) => (bodyFile === null ? [] : [bodyFile]),
  exchanges: ({ exchange }) => (exchange === null ? [] : [exchange]),
  checks: checkKindNames.filter((kind) => kind !== 'status' && kind !== 'redirect'),
  extractors: extractorKindNames.filter((kind) => kind !== 'header' && kind !== 'cookie'),
  bodies: ({ sent, answer }) => [sent, answer].flatMap((body) => body?.hash ?? []),
  playedWords: ({ action, url }) => `${action.toUpperCase()} ${url}`,
  answerWords: ({ answer }) => (answer ? `a message of ${answer.size} bytes` : null),
};
