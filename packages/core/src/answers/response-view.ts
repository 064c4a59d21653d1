import { bodyKind, mediaType, type BodyKind } from '../take/messages.js';
import { answerBody } from '../take/exchanges.js';
import type { Exchange, Header } from '../take/take.schema.js';
import { readHtml, readTitle, type HtmlPage } from './html.js';

/** An answer of an application as extractors and checks read it; what is costly to parse is parsed once, when first asked for. */
export class AnswerText {
  #kind: BodyKind | undefined;
  #html: HtmlPage | undefined;
  #json: { value: unknown } | undefined;
  #title: string | undefined;

  constructor(readonly body: string) {}

  /** What the answer is: as it is said to be, or as it looks where it may be something else. */
  get kind(): BodyKind {
    return (this.#kind ??= lookOf(this.saidKind(), this.body));
  }

  /** What the answer is said to be; what says nothing of itself is text. */
  protected saidKind(): BodyKind {
    return 'text';
  }

  get html(): HtmlPage {
    return (this.#html ??= readHtml(this.kind === 'html' ? this.body : ''));
  }

  /** The title of a page; empty for what is none. Only what stands before its end is read. */
  get title(): string {
    return (this.#title ??= this.#html?.title ?? readTitle(this.kind === 'html' ? this.body : ''));
  }

  /** Lets go of what was parsed; it is parsed again when it is asked for. */
  forget(): void {
    this.#html = undefined;
    this.#json = undefined;
  }

  /** The parsed JSON document; undefined where the body is none. */
  get json(): unknown {
    if (!this.#json) {
      try {
        this.#json = { value: JSON.parse(this.body) as unknown };
      } catch {
        this.#json = { value: undefined };
      }
    }
    return this.#json.value;
  }
}

/** A response of HTTP. */
export class ResponseView extends AnswerText {
  constructor(
    readonly status: number,
    readonly headers: readonly Header[],
    body: string,
  ) {
    super(body);
  }

  /** What the type in the header says that the body is. */
  get declaredKind(): BodyKind {
    return bodyKind(mediaType(this.headers));
  }

  protected override saidKind(): BodyKind {
    // Answers that a browser took from its cache are often recorded without their type.
    const type = mediaType(this.headers);
    return type === '' && this.body !== '' ? 'text' : bodyKind(type);
  }
}

/** The headers of an answer; none where its kind has none. */
export const headersIn = (answer: AnswerText): readonly Header[] => (answer instanceof ResponseView ? answer.headers : []);

/** The status of an answer; null where its kind has none. */
export const statusIn = (answer: AnswerText): number | null => (answer instanceof ResponseView ? answer.status : null);

/** A message that came over a WebSocket: it has neither status nor headers. */
export class MessageView extends AnswerText {
  /** `type` is the media type that it was given, because it says none itself. */
  constructor(
    readonly type: string,
    body: string,
  ) {
    super(body);
  }

  protected override saidKind(): BodyKind {
    return bodyKind(this.type);
  }
}

const looksLikeHtml =
  /^\s*(?:<!--[\s\S]{0,2000}?-->\s*)*<(?:!doctype html|html|head|body|div|span|form|table|t[rdh]|ul|ol|li|p|a|b|i|h[1-6]|input|select|option|label|section|script|br)\b/i;

/** Pages are often sent as text or JSON, and JSON as a page: there the first signs say what the body is. */
function lookOf(declared: BodyKind, body: string): BodyKind {
  if (declared !== 'text' && declared !== 'json' && declared !== 'html') return declared;
  if (declared !== 'html' && looksLikeHtml.test(body)) return 'html';
  if (declared === 'json' || !/^\s*[{[]/.test(body) || !/[}\]]\s*$/.test(body)) return declared;
  try {
    JSON.parse(body);
    return 'json';
  } catch {
    return declared;
  }
}

/** The answer of an exchange of a take; undefined where none was recorded. */
export function viewOf(exchange: Exchange, readBody: (hash: string) => string | undefined): AnswerText | undefined {
  const body = answerBody(exchange);
  const text = body ? (readBody(body.hash) ?? '') : '';
  if (exchange.kind === 'message') return body ? new MessageView(body.mimeType, text) : undefined;
  const { response } = exchange;
  return response ? new ResponseView(response.status, response.headers, text) : undefined;
}
