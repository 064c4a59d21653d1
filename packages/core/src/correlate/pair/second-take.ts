import type { Exchange, LoadedTake } from '../../take/take.schema.js';
import { redirectTarget } from '../../take/messages.js';
import { answeredAtMs } from '../../sockets/unfold-sockets.js';
import { isPicked, matchesOf } from '../../extractors/extract.js';
import type { Encoding } from '../../values/template.schema.js';
import type { Extractor } from '../../extractors/extractor.schema.js';
import { isLeaf, type SentNode } from '../../actions/sent-values.js';
import { recordedText } from '../../values/template.js';
import { encode } from '../../values/encoding.js';
import type { AnswerText } from '../../answers/response-view.js';
import { pairTakes } from './align.js';
import { callNodes, isInCall, pairCalls, pathToCall, type CallPairs } from './pair-calls.js';
import type { OfferedForm } from '../find/offered-forms.js';
import { ParsedViews } from '../find/parsed-views.js';
import { TakeForms } from '../find/person-inputs.js';
import { nodesByExchange } from '../find/sent-by-exchange.js';
import type { Origin } from '../find/value-index.js';

/** A place without the ids in it, so that `qty[1234]` and `qty[1301]` are the same place. */
const placeShape = (place: string): string => place.replace(/[A-Za-z_-]*\d[\w-]*|[A-Za-z0-9_-]{20,}/g, '*');

/** The second take of a flow, laid beside the first. */
export class SecondTake {
  readonly #pairs: Map<number, number>;
  readonly #byNumber: Map<number, Exchange>;
  readonly #views: ParsedViews;
  readonly #partners = new Map<string, SentNode>();
  readonly #texts = new Map<string, string>();
  readonly #calls: CallPairs;
  readonly #forms: TakeForms;
  readonly #sentBy = new Map<number, Set<string>>();
  /** Values of the first take, and parts of them, that are others in the second. */
  readonly moving = new Set<string>();

  constructor(first: LoadedTake, second: LoadedTake) {
    this.#views = new ParsedViews(second);
    const pairs = pairTakes(first, second);
    this.#pairs = new Map([...pairs.inOrder, ...pairs.moved]);
    this.#byNumber = new Map(second.exchanges.map((exchange) => [exchange.n, exchange]));
    this.#forms = new TakeForms({
      exchanges: second.exchanges,
      readBody: second.readBody,
      view: (n) => this.#views.of(n),
      endedMs: (n) => endedAtMs(this.#byNumber.get(n)),
    });
    const [left, right] = [nodesByExchange(first), nodesByExchange(second)];
    for (const [n, nodes] of right) this.#sentBy.set(n, valuesOf(nodes));
    this.#calls = pairCalls(
      { exchanges: new Map(first.exchanges.map((exchange) => [exchange.n, exchange])), nodes: left },
      { exchanges: this.#byNumber, nodes: right },
      this.#pairs,
    );
    for (const [n, ownNodes] of left) {
      const calls = this.#calls.get(n);
      const nodes = right.get(this.#pairs.get(n) ?? -1) ?? [];
      // Of a batch only what is no call is paired by its place.
      this.#pairNodes(n, ownNodes, calls ? nodes.filter((node) => !isInCall(node)) : nodes);
      for (const [at, there] of calls ?? [])
        this.#pairNodes(n, callNodes(ownNodes, at, at), callNodes(right.get(there.exchange) ?? [], there.at, at));
    }
  }

  #pairNodes(n: number, left: readonly SentNode[], right: readonly SentNode[]): void {
    const byPlace = new Map(right.map((node) => [node.place, node]));
    const spare = new Map<string, SentNode[]>();
    const leftPlaces = new Set(left.map((node) => node.place));
    for (const node of right)
      if (!leftPlaces.has(node.place)) spare.set(placeShape(node.place), [...(spare.get(placeShape(node.place)) ?? []), node]);
    for (const node of left) {
      const partner = byPlace.get(node.place) ?? spare.get(placeShape(node.place))?.shift();
      if (!partner) continue;
      this.#partners.set(`${n} ${node.place}`, partner);
      if (isLeaf(node) && !this.#texts.has(node.value)) this.#texts.set(node.value, partner.value);
      if (node.value !== partner.value) {
        this.moving.add(node.value);
        if (isLeaf(node))
          for (const part of differingParts(node.value, partner.value).flat()) this.moving.add(node.value.slice(part.start, part.end));
      }
      this.#pairNodes(n, node.kids, partner.kids);
    }
  }

  /** The value that the partner of an exchange sends at the same place; undefined where there is none. */
  valueAt(n: number, place: string): string | undefined {
    return this.#partners.get(`${n} ${place}`)?.value;
  }

  /** Where the partner of an exchange redirects to; or, where redirects were followed, the address at which it ended. */
  redirectTo(n: number, followed: boolean): string | undefined {
    const partner = this.#byNumber.get(this.#pairs.get(n) ?? -1);
    if (followed) return partner?.url;
    return partner?.kind === 'request' && partner.response ? redirectTarget(partner.url, [partner.response]) : undefined;
  }

  /** The title of the page that the partner of an exchange answered with; undefined where it is none. */
  titleOf(n: number): string | undefined {
    return this.#views.of(this.#pairs.get(n) ?? -1)?.title;
  }

  /** The partner of an exchange with its response; undefined where it has none. */
  partnerOf(n: number): { exchange: Exchange; view: AnswerText } | undefined {
    const partner = this.#pairs.get(n);
    const exchange = partner === undefined ? undefined : this.#byNumber.get(partner);
    const view = exchange && this.#views.of(exchange.n);
    return exchange && view ? { exchange, view } : undefined;
  }

  /** True where the partner of an exchange was answered, but the take does not hold with what: browsers lose pages that lead on at once. */
  lacksAnswer(n: number): boolean {
    return this.#views.of(this.#pairs.get(n) ?? -1)?.body === '';
  }

  /** The form that the partner of an exchange was sent from; null where no page showed one. */
  formOf(n: number): OfferedForm | null {
    const partner = this.#byNumber.get(this.#pairs.get(n) ?? -1);
    return partner ? this.#forms.of(partner) : null;
  }

  /** True where the partner of an exchange sends the value as a whole, somewhere. */
  sends(n: number, value: string): boolean {
    return this.#sentBy.get(this.#pairs.get(n) ?? -1)?.has(value) ?? false;
  }

  /** What the second take sent where the first sent a text. */
  textFor(text: string): string {
    return this.#texts.get(text) ?? text;
  }

  /** True where an extractor gives `value` in the partner of the origin. */
  gives(origin: Origin, value: string, as?: Encoding): boolean {
    const matches = this.matches(origin.exchange.n, origin.extractor).map((match) => (as ? encode(as, match) : match));
    return isPicked(value, origin.extractor, matches);
  }

  /** What an extractor finds in the partner of an exchange; texts that it looks for are those that the second take sent. */
  matches(n: number, extractor: Extractor): string[] {
    const inCall = this.#inCall(n, extractor);
    const view = this.#views.of(inCall?.exchange ?? this.#pairs.get(n) ?? -1);
    return view ? matchesOf(inCall?.extractor ?? extractor, view, (template) => this.textFor(recordedText(template))) : [];
  }

  /** An extractor that reads the answer to one call, for where that call stands in the second take; undefined where it is no such. */
  #inCall(n: number, extractor: Extractor): { exchange: number; extractor: Extractor } | undefined {
    if (extractor.kind !== 'jsonpath') return undefined;
    for (const [at, there] of this.#calls.get(n) ?? []) {
      const path = pathToCall(extractor.path, at, there.at);
      if (path !== undefined) return { exchange: there.exchange, extractor: { ...extractor, path } };
    }
    return undefined;
  }
}

function valuesOf(nodes: readonly SentNode[]): Set<string> {
  const found = new Set<string>();
  const walk = (node: SentNode): void => {
    found.add(node.value);
    node.kids.forEach(walk);
  };
  nodes.forEach(walk);
  return found;
}

/** The parts of two texts that differ, where the rest of them is alike: runs of letters and digits, one by one or all together. */
export function differingParts(first: string, second: string): { start: number; end: number; other: string }[][] {
  const words = (text: string) => text.split(/([A-Za-z0-9]+)/);
  const [left, right] = [words(first), words(second)];
  const found: { start: number; end: number; other: string }[][] = [];
  const together = middle(first, second);
  if (together) found.push([together]);
  if (left.length === right.length && left.every((part, at) => at % 2 === 1 || part === right[at])) {
    let start = 0;
    const single = left.flatMap((part, at) => {
      const from = start;
      start += part.length;
      return part === right[at] ? [] : [{ start: from, end: start, other: right[at] ?? '' }];
    });
    found.push(single);
    // A letter or two before the digits belong to the form, not to the number: c1f3 aside, `C17` is `C` and 17.
    found.push(
      single.map((span) => {
        const leftText = first.slice(span.start, span.end);
        const head = /^[A-Za-z]*/.exec(leftText)?.[0] ?? '';
        const tail = /[A-Za-z]*$/.exec(leftText)?.[0] ?? '';
        return span.other.startsWith(head) && span.other.endsWith(tail) && head.length + tail.length < leftText.length
          ? {
              start: span.start + head.length,
              end: span.end - tail.length,
              other: span.other.slice(head.length, span.other.length - tail.length),
            }
          : span;
      }),
    );
  }
  return found;
}

/** What is left of two texts when their common beginning and end are taken off at word borders. */
function middle(first: string, second: string): { start: number; end: number; other: string } | null {
  let start = 0;
  while (start < first.length && start < second.length && first[start] === second[start]) start++;
  let tail = 0;
  while (tail < first.length - start && tail < second.length - start && first.at(-1 - tail) === second.at(-1 - tail)) tail++;
  while (start > 0 && /\w/.test(first[start - 1] ?? '')) start--;
  while (tail > 0 && /\w/.test(first[first.length - tail] ?? '')) tail--;
  const end = first.length - tail;
  return end > start && second.length - tail > start && (start > 0 || tail > 0)
    ? { start, end, other: second.slice(start, second.length - tail) }
    : null;
}

const endedAtMs = (exchange: Exchange | undefined): number => (exchange ? answeredAtMs(exchange) : Infinity);
