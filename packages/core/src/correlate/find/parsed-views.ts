import type { Exchange, LoadedTake } from '../../take/take.schema.js';
import { viewOf, type AnswerText } from '../../answers/response-view.js';

/** Parsed pages that are kept. */
const mostParsed = 16;

/** The responses of a take. Parsed pages take many times the room of their text, so only those looked at last stay parsed. */
export class ParsedViews {
  readonly #byNumber: Map<number, Exchange>;
  readonly #views = new Map<number, AnswerText>();
  readonly #parsed = new Set<AnswerText>();

  constructor(readonly loaded: LoadedTake) {
    this.#byNumber = new Map(loaded.exchanges.map((exchange) => [exchange.n, exchange]));
  }

  /** The response of an exchange; undefined where none was recorded. */
  of(n: number): AnswerText | undefined {
    const exchange = this.#byNumber.get(n);
    const view = this.#views.get(n) ?? (exchange && viewOf(exchange, this.loaded.readBody));
    if (!view) return undefined;
    this.#views.set(n, view);
    this.#parsed.delete(view);
    this.#parsed.add(view);
    for (const oldest of this.#parsed) {
      if (this.#parsed.size <= mostParsed) break;
      this.#parsed.delete(oldest);
      oldest.forget();
    }
    return view;
  }
}
