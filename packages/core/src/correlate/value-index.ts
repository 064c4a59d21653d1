import type { Exchange, LoadedTake } from '../take/take.schema.js';
import { headerOf } from '../take/messages.js';
import { viewOf, type ResponseView } from '../script/response-view.js';
import { exchangesOf, requestSteps, type Extractor, type Script } from '../script/script.schema.js';
import { sentValues } from '../script/request-parts.js';
import { receivedValues, type ReceivedValue } from './received-values.js';
import { boundariesFor } from './boundaries.js';
import { sameName } from './naming.js';

/** A value seen in a response. */
export interface Occurrence {
  exchange: Exchange;
  received: ReceivedValue;
}

/** A proposed way to read a value. */
export interface Origin {
  exchange: Exchange;
  extractor: Extractor;
  listed: boolean;
}

/** HAR files give times in whole milliseconds, so an answer may seem to end a little after the request it led to. */
const clockGrainMs = 1;

/** When each response had ended, in ms; a redirect had at the latest when its target was asked for. */
function endTimes(exchanges: readonly Exchange[]): Map<number, number> {
  const ends = new Map<number, number>();
  exchanges.forEach((one, index) => {
    let end = one.startedAtMs + one.durationMs;
    const location = one.response && headerOf(one.response.headers, 'location');
    if (location != null && URL.canParse(location, one.url)) {
      const target = new URL(location, one.url).href;
      const next = exchanges.slice(index + 1).find((other) => other.url === target);
      if (next) end = Math.min(end, next.startedAtMs);
    }
    ends.set(one.n, end);
  });
  return ends;
}

/** Where each value of a take was first seen and where it can be read; built once, linear in the bytes of the responses. */
export class ValueIndex {
  readonly #received = new Map<string, Occurrence[]>();
  readonly #firstSentMs = new Map<string, number>();
  readonly #sentBy = new Map<number, Set<string>>();
  readonly #views = new Map<number, ResponseView>();
  readonly #endMs: Map<number, number>;

  constructor(
    readonly loaded: LoadedTake,
    script: Script,
  ) {
    this.#endMs = endTimes(loaded.exchanges);
    const byNumber = new Map(loaded.exchanges.map((one) => [one.n, one]));
    for (const { step } of requestSteps(script)) {
      const exchange = step.exchange === null ? undefined : byNumber.get(step.exchange);
      if (!exchange) continue;
      const own = new Set<string>();
      for (const { value } of sentValues(step)) {
        own.add(value);
        const before = this.#firstSentMs.get(value);
        if (before === undefined || exchange.startedAtMs < before) this.#firstSentMs.set(value, exchange.startedAtMs);
      }
      this.#sentBy.set(exchange.n, own);
      for (const n of exchangesOf(step)) this.#readResponse(byNumber.get(n));
    }
  }

  #readResponse(exchange: Exchange | undefined): void {
    const view = exchange && viewOf(exchange, this.loaded.readBody);
    if (!view) return;
    this.#views.set(exchange.n, view);
    for (const received of receivedValues(view)) {
      const list = this.#received.get(received.value);
      if (list) list.push({ exchange, received });
      else this.#received.set(received.value, [{ exchange, received }]);
    }
  }

  view(n: number): ResponseView | undefined {
    return this.#views.get(n);
  }

  /**
   * Responses that could have given the value to the request: they had ended before it started, and the value was not sent
   * before the first of them gave it (what comes back then is an echo).
   */
  occurrences(value: string, exchange: Exchange): Occurrence[] {
    const before = (this.#received.get(value) ?? []).filter((one) => this.#ended(one.exchange) <= exchange.startedAtMs + clockGrainMs);
    const first = Math.min(...before.map((one) => this.#ended(one.exchange)));
    const sentMs = this.#firstSentMs.get(value) ?? Infinity;
    if (before.length === 0 || sentMs + clockGrainMs < first) return [];
    const fresh = before.filter((one) => !this.#sentBy.get(one.exchange.n)?.has(value));
    return fresh.length > 0 ? fresh : before;
  }

  /**
   * Ways to read the value, best first: the latest response in which it stands under the same name, then the page that
   * the Referer names, then the latest; within a response the place that depends on the least.
   */
  origins(value: string, name: string, exchange: Exchange): Origin[] {
    const referer = headerOf(exchange.requestHeaders, 'referer');
    const score = ({ exchange: from, received }: Occurrence): number =>
      (sameName(received.name, name) ? 2 : 0) + (referer !== undefined && from.url === referer ? 1 : 0);
    const ordered = [...this.occurrences(value, exchange)].sort(
      (left, right) => score(right) - score(left) || right.exchange.n - left.exchange.n || left.received.rank - right.received.rank,
    );
    const origins: Origin[] = [];
    const best = ordered[0];
    // Within the chosen response the more robust place wins, whatever its name.
    const grouped = best
      ? [
          ...ordered.filter((one) => one.exchange.n === best.exchange.n).sort((left, right) => left.received.rank - right.received.rank),
          ...ordered.filter((one) => one.exchange.n !== best.exchange.n),
        ]
      : [];
    for (const { exchange: from, received } of grouped) {
      const extractor = received.extractor ?? this.#boundaries(from.n, value);
      if (extractor) origins.push({ exchange: from, extractor, listed: received.listed });
    }
    return origins;
  }

  #ended(exchange: Exchange): number {
    return this.#endMs.get(exchange.n) ?? Infinity;
  }

  #boundaries(n: number, value: string): Extractor | null {
    const view = this.#views.get(n);
    return view ? boundariesFor(view.body, value) : null;
  }
}
