import { checkKindNames } from '../../check/check.schema.js';
import { extractorKindNames } from '../../extractors/extractor.schema.js';
import { changeCheck, checkWords } from '../../check/check-templates.js';
import type { ActionKind } from '../action-kind.js';
import type { CapturedRequest } from './captured-request.schema.js';
import { boundValues } from '../sent-parts.js';
import type { RequestStep } from './request.schema.js';

/** Requests of HTTP. */
export const requestKind: ActionKind<RequestStep, CapturedRequest> = {
  noun: 'request',
  nouns: 'requests',
  changeTemplates: (step, change) => {
    const { checks } = step;
    return {
      ...step,
      url: change(step.url),
      headers: step.headers.map((header) => ({ ...header, value: change(header.value) })),
      body: step.body && change(step.body),
      ...(checks && { checks: checks.map((check) => changeCheck(check, change)) }),
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
  mayChange: ({ method }) => !/^(GET|HEAD|OPTIONS)$/i.test(method),
  values: boundValues,
  files: ({ bodyFile }) => (bodyFile === null ? [] : [bodyFile]),
  exchanges: ({ exchange, hops }) => (exchange === null ? [] : [exchange, ...(hops ?? [])]),
  checks: checkKindNames,
  extractors: extractorKindNames,
  bodies: ({ request, response, hops }) =>
    [request.body, response?.body, ...(hops ?? []).map((hop) => hop.body)].flatMap((body) => body?.hash ?? []),
  playedWords: ({ request }) => `${request.method} ${request.url}`,
  answerWords: ({ response }) => (response ? String(response.status) : null),
};
