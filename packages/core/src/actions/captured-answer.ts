import { AnswerText, MessageView, ResponseView } from '../answers/response-view.js';
import type { BodyReader } from '../take/take.schema.js';
import type { CapturedStep } from './action-step.schema.js';
import type { CapturedMessage } from './message/message.schema.js';
import type { CapturedRequest } from './http/captured-request.schema.js';

/** The response of a played request, or that of a redirect on the way (`hop`); undefined where none came. */
export function capturedResponse({ response, hops }: CapturedRequest, readBody: BodyReader, hop?: number): ResponseView | undefined {
  const wanted = hop === undefined ? response : hops?.[hop];
  return wanted ? new ResponseView(wanted.status, wanted.headers, wanted.body ? (readBody(wanted.body.hash) ?? '') : '') : undefined;
}

/** The message that was waited for; undefined where none was, or none came. */
export const capturedMessage = ({ answer }: CapturedMessage, readBody: BodyReader): MessageView | undefined =>
  answer ? new MessageView(answer.mimeType, readBody(answer.hash) ?? '') : undefined;

/** The answer of a played step, as extractors and checks read it; undefined where none came. */
export function capturedAnswer(captured: CapturedStep, readBody: BodyReader): AnswerText | undefined {
  switch (captured.kind) {
    case 'request':
      return capturedResponse(captured, readBody);
    case 'message':
      return capturedMessage(captured, readBody);
    case 'line':
      return captured.answer === null ? undefined : new AnswerText(captured.answer);
  }
}
