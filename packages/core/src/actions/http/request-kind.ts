import { checkKindNames } from '../../check/check.schema.js';
import { extractorKindNames } from '../../extractors/extractor.schema.js';
import { changeCheck, changeChecked, checkWords } from '../../check/check-templates.js';
import type { ChangeTemplate } from '../../check/kinds/check-kind.js';
import type { ActionKind } from '../action-kind.js';
import type { CapturedRequest } from './captured-request.schema.js';
import { boundPlaces, sentValues } from './request-parts.js';
import type { RequestStep, SocketUse } from './request.schema.js';

const changeSocket = (use: SocketUse, change: ChangeTemplate): SocketUse =>
  'awaits' in use && use.awaits
    ? { ...use, awaits: { ...use.awaits, holds: use.awaits.holds.map((checked) => changeChecked(checked, change)) } }
    : use;

/** Requests of HTTP, and messages over WebSockets. */
export const requestKind: ActionKind<RequestStep, CapturedRequest> = {
  noun: 'request',
  nouns: 'requests',
  changeTemplates: (step, change) => {
    const { checks, socket } = step;
    return {
      ...step,
      url: change(step.url),
      headers: step.headers.map((header) => ({ ...header, value: change(header.value) })),
      body: step.body && change(step.body),
      ...(checks && { checks: checks.map((check) => changeCheck(check, change)) }),
      ...(socket && { socket: changeSocket(socket, change) }),
    };
  },
  templateWords: (step) => [
    'url',
    ...step.headers.map(({ name }) => `header ${name}`),
    ...(step.body ? ['body'] : []),
    ...checkWords(step.checks),
  ],
  sent: ({ url, headers, body }) => [url, ...headers.map(({ value }) => value), ...(body ? [body] : [])],
  verb: ({ method }) => method,
  shortName: ({ name, method }) => name.slice(method.length + 1) || name,
  // Waiting for a message and closing a WebSocket change nothing.
  mayChange: ({ method }) => !/^(GET|HEAD|OPTIONS|AWAIT|CLOSE)$/i.test(method),
  values: (step) => {
    const bound = boundPlaces(step);
    return sentValues(step).map((value) => {
      const piece = bound.get(value.place);
      return { ...value, ...(piece === undefined ? {} : { piece }) };
    });
  },
  files: ({ bodyFile }) => (bodyFile === null ? [] : [bodyFile]),
  exchanges: ({ exchange, hops }) => (exchange === null ? [] : [exchange, ...(hops ?? [])]),
  checks: checkKindNames,
  extractors: extractorKindNames,
  bodies: ({ request, response, hops }) =>
    [request.body, response?.body, ...(hops ?? []).map((hop) => hop.body)].flatMap((body) => body?.hash ?? []),
  playedWords: ({ request }) => `${request.method} ${request.url}`,
  answerWords: ({ response }) => (response ? String(response.status) : null),
};
