import { AnswerText, ResponseView } from '../answers/response-view.js';
import type { BodyReader } from '../take/take.schema.js';
import type { CapturedStep } from './action-step.schema.js';

/** The answer of a played step, as extractors and checks read it; undefined where none came. */
export function capturedAnswer(captured: CapturedStep, readBody: BodyReader): AnswerText | undefined {
  switch (captured.kind) {
    case 'request': {
      const { response } = captured;
      return response
        ? new ResponseView(response.status, response.headers, response.body ? (readBody(response.body.hash) ?? '') : '')
        : undefined;
    }
    case 'line':
      return captured.answer === null ? undefined : new AnswerText(captured.answer);
  }
}
