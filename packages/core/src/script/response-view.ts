import { bodyKind, mediaType, type BodyKind } from '../take/messages.js';
import type { Exchange, Header } from '../take/take.schema.js';
import { readHtml, type HtmlPage } from './html.js';

/** A response as extractors and checks read it; what is costly to parse is parsed once, when first asked for. */
export class ResponseView {
  #kind: BodyKind | undefined;
  #html: HtmlPage | undefined;
  #json: { value: unknown } | undefined;

  constructor(
    readonly status: number,
    readonly headers: readonly Header[],
    readonly body: string,
  ) {}

  get kind(): BodyKind {
    return (this.#kind ??= bodyKind(mediaType(this.headers)));
  }

  get html(): HtmlPage {
    return (this.#html ??= readHtml(this.kind === 'html' ? this.body : ''));
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

/** The response of an exchange of a take; undefined where none was recorded. */
export function viewOf(exchange: Exchange, readBody: (hash: string) => string | undefined): ResponseView | undefined {
  const { response } = exchange;
  if (!response) return undefined;
  return new ResponseView(response.status, response.headers, response.body ? (readBody(response.body.hash) ?? '') : '');
}
