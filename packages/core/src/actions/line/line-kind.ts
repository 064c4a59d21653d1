import { changeCheck, checkWords } from '../../check/check-templates.js';
import { cutText } from '../../cut-text.js';
import { movingPieces } from '../../values/template.js';
import type { ActionKind } from '../action-kind.js';
import type { CapturedLine, LineStep } from './line.schema.js';

/** Lines of text over TCP connections. */
export const lineKind: ActionKind<LineStep, CapturedLine> = {
  noun: 'line',
  nouns: 'lines',
  changeTemplates: (step, change) => ({
    ...step,
    send: step.send && change(step.send),
    expect: step.expect && change(step.expect),
    ...(step.checks && { checks: step.checks.map((check) => changeCheck(check, change)) }),
  }),
  templateWords: (step) => [...(step.send ? ['line'] : []), ...(step.expect ? ['expected line'] : []), ...checkWords(step.checks)],
  sent: ({ send }) => (send ? [send] : []),
  verb: () => 'LINE',
  shortName: ({ name }) => name,
  mayChange: ({ send }) => send !== null,
  // What moves in a line; what else it says is written by hand.
  values: ({ send }) =>
    [...movingPieces(send ?? [])].map((piece, at) => ({ place: `line:${at}`, name: 'line', value: piece.recorded, piece: piece.kind })),
  files: () => [],
  exchanges: () => [],
  checks: ['text', 'value', 'count', 'size', 'time'],
  extractors: ['between', 'regex', 'jsonpath', 'xml', 'xpath'],
  bodies: () => [],
  playedWords: ({ origin, sent }) => (sent === null ? origin : `${origin} ${cutText(sent, 200)}`),
  answerWords: ({ answer }) => (answer === null ? null : `“${cutText(answer, 40)}”`),
};
