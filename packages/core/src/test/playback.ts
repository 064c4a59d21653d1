import { type Captured, type CapturedRequest, type Header, type RequestStep, type Script, recordedText, requestSteps } from '../index.js';

/** What a replayed step answered: status, headers, text. A sentence instead stands for a connection that failed. */
export type Answer = [number, Header[], string?] | string;

/**
 * Makes what a rehearsal would have captured: the given answers by step, in order; steps without one were not sent. `sent` gives the
 * bodies of requests, and `targets` where they went, where these are not as recorded.
 */
export function playback(
  script: Script,
  answers: Record<string, Answer>,
  sent: Record<string, string> = {},
  targets: Record<string, string> = {},
): Captured & { steps: CapturedRequest[] } {
  const bodies = new Map<string, string>();
  const steps = requestSteps(script)
    .filter(({ step }) => answers[step.id] !== undefined)
    .map(({ step }): CapturedRequest => captured(step, answers[step.id] ?? 'no answer', bodies, sent[step.id], targets[step.id]));
  return { steps, missing: [], readBody: (hash) => bodies.get(hash) };
}

function captured(
  step: RequestStep,
  answer: Answer,
  bodies: Map<string, string>,
  sent: string | undefined,
  target: string | undefined,
): CapturedRequest {
  const [status, headers, text] = typeof answer === 'string' ? [0, [] as Header[], undefined] : answer;
  const hash = `${step.id}-answer`;
  if (text !== undefined) bodies.set(hash, text);
  if (sent !== undefined) bodies.set(`${step.id}-sent`, sent);
  const body = sent === undefined ? null : { hash: `${step.id}-sent`, size: sent.length, mimeType: '' };
  return {
    kind: 'request',
    step: step.id,
    startedAtMs: 0,
    durationMs: 5,
    request: {
      method: step.method,
      url: step.origin + (target ?? recordedText(step.url)),
      headers: step.headers.map(({ name, value }) => [name, recordedText(value)]),
      body,
    },
    response:
      status === 0
        ? null
        : { status, statusText: '', headers, body: text === undefined ? null : { hash, size: text.length, mimeType: '' } },
    failure: typeof answer === 'string' ? answer : null,
    timings: { blocked: -1, dns: -1, connect: -1, tls: -1, send: 0, wait: 5, receive: 0 },
  };
}
