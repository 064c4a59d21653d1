import { bodyKind, looksLikeId, pathAndQuery } from '../take/messages.js';
import type { Exchange, LoadedTake } from '../take/take.schema.js';
import { bodyTree, targetTree, type ValueTree } from '../values/value-tree.js';
import { sentBody, sentHeaders, sentType } from '../take/exchanges.js';

/** A value by which requests to one address are told apart, such as the name of the procedure that is called. */
export interface TellingValue {
  place: string;
  name: string;
  value: string;
}

/** Longer bodies and values say nothing short of themselves. */
const longestBody = 200_000;
const longestValue = 80;
const mostValues = 400;

/** A place without the positions in it, so that the second call of a batch is compared with the first. */
const anyPosition = (place: string): string => place.replace(/\/\d+(?=\/|$)/g, '/*').replace(/\[\d+\]/g, '[*]');

/** Headers in which clients of open protocols say what they ask for: SOAP 1.1 (6.1.1), and what page scripts add after the same custom. */
const askingHeader = /^(soapaction|x-[\w-]*(action|operation|method|command)|next-action|hx-(target|trigger|trigger-name))$/i;

/** What a request asks beyond its address: the short values that it sends, and what a GraphQL document or an XML message is called. */
export function askedValues(exchange: Exchange, readBody: LoadedTake['readBody']): TellingValue[] {
  const found: TellingValue[] = [];
  const walk = (tree: ValueTree): void => {
    for (const kid of tree.kids) {
      if (found.length >= mostValues) return;
      if (kid.isName || kid.place.startsWith('path:')) continue;
      if (kid.tree.kids.length > 0 && !kid.tree.peeled) walk(kid.tree);
      else if (kid.tree.text.length <= longestValue) found.push({ place: kid.place, name: kid.name, value: kid.tree.text });
      else found.push(...documentName(kid.place, kid.tree.text));
    }
  };
  walk(targetTree(pathAndQuery(exchange.url)));
  for (const [name, value] of sentHeaders(exchange))
    if (askingHeader.test(name)) found.push({ place: `header:${name.toLowerCase()}`, name, value: value.replace(/^"|"$/g, '') });
  const body = sentBody(exchange);
  const text = body ? (readBody(body.hash) ?? '') : '';
  if (text === '' || text.length > longestBody) return found;
  const kind = bodyKind(sentType(exchange));
  walk(bodyTree(text, kind));
  if (kind === 'xml') found.push(...messageName(text));
  return found;
}

/** The operation of a GraphQL document (GraphQL specification, 2.3) that no member names. */
function documentName(place: string, text: string): TellingValue[] {
  const operation = /^\s*(?:#[^\n]*\n\s*)*(?:query|mutation|subscription)\s+(\w+)/.exec(text)?.[1];
  return operation === undefined ? [] : [{ place: `${place}#operation`, name: 'operation', value: operation }];
}

/** The first element within the body of a SOAP envelope, or the root of any other message. */
function messageName(text: string): TellingValue[] {
  const names = [...text.slice(0, 4000).matchAll(/<(?:[\w.-]+:)?([A-Za-z][\w.-]*)[\s/>]/g)].map((match) => match[1] ?? '');
  const body = names.indexOf('Body');
  const value = body >= 0 ? names[body + 1] : names[0];
  return value === undefined ? [] : [{ place: 'xml:#message', name: 'message', value }];
}

/** A word as programs name things: no id, no text of a person. */
export const isProgramWord = (value: string): boolean => /^[A-Za-z_$][\w$.:/-]*$/.test(value) && !looksLikeId(value);

interface Seen {
  exchange: Exchange;
  take: number;
  value: string;
}

/** This part of the requests must have a value that the other take has at the same place, too. */
const recurringPart = 0.75;

/**
 * Finds in the traffic itself what tells requests to one address apart: places whose values recur, in both takes where there are two,
 * and are few. It needs no name of a framework.
 */
export class Telling {
  readonly #asked = new Map<Exchange, TellingValue[]>();
  readonly #telling = new Map<Exchange, TellingValue[]>();
  readonly #known = new Map<string, readonly Set<string>[]>();

  /** `group` names the address of a request, ids aside. */
  constructor(
    takes: readonly Pick<LoadedTake, 'exchanges' | 'readBody'>[],
    readonly group: (exchange: Exchange) => string,
  ) {
    const places = new Map<string, Seen[]>();
    takes.forEach(({ exchanges, readBody }, take) => {
      for (const exchange of exchanges) {
        const values = askedValues(exchange, readBody);
        this.#asked.set(exchange, values);
        const once = new Set<string>();
        for (const { place, value } of values) {
          const key = `${group(exchange)} ${anyPosition(place)}`;
          // Of several calls in one request the first speaks for the place; each is told apart by itself later.
          if (once.has(key)) continue;
          once.add(key);
          const list = places.get(key);
          if (list) list.push({ exchange, take, value });
          else places.set(key, [{ exchange, take, value }]);
        }
      }
    });
    for (const [key, seen] of places)
      if (isTelling(seen, takes.length))
        this.#known.set(
          key,
          takes.map((_, take) => new Set(seen.filter((occurrence) => occurrence.take === take).map((occurrence) => occurrence.value))),
        );
    for (const [exchange, values] of this.#asked)
      this.#telling.set(
        exchange,
        values.filter(({ place }) => this.#known.has(`${group(exchange)} ${anyPosition(place)}`)),
      );
  }

  /** All that a request asks, telling or not. */
  asked(exchange: Exchange): readonly TellingValue[] {
    return this.#asked.get(exchange) ?? [];
  }

  /** The values of a request that tell what it asks, in the order in which they are sent. */
  of(exchange: Exchange): TellingValue[] {
    return this.#telling.get(exchange) ?? [];
  }

  /**
   * How two requests to one address agree in what they ask: false where one of them asks what the other does not, else the number of
   * telling values that are the same.
   */
  agreement(left: Exchange, right: Exchange): number | false {
    const [leftValues, rightValues] = [this.of(left), this.of(right)];
    if (leftValues.length === 0 && rightValues.length === 0) return 0;
    const there = new Map(rightValues.map((value) => [value.place, value.value]));
    let agreed = 0;
    for (const { place, value } of leftValues) {
      const partner = there.get(place);
      if (partner === value) agreed++;
      else if (partner !== undefined && this.#recurs(left, place, value, partner)) return false;
    }
    return agreed;
  }

  /** True where one of two different values is known from the other take: then they do not ask the same. */
  #recurs(exchange: Exchange, place: string, ...values: string[]): boolean {
    const known = this.#known.get(`${this.group(exchange)} ${anyPosition(place)}`) ?? [];
    return values.some((value) => known.every((knownValues) => knownValues.has(value)));
  }
}

function isTelling(seen: readonly Seen[], takes: number): boolean {
  const values = new Set(seen.map((occurrence) => occurrence.value));
  if (seen.length < 3 || values.size < 2) return false;
  const words = seen.filter((occurrence) => isProgramWord(occurrence.value)).length >= 0.9 * seen.length;
  // A number tells requests apart only where there are few of them: an id or a counter is another one each time.
  if (!words && (values.size > seen.length / 4 || !seen.every((occurrence) => /^[\w.-]{0,20}$/.test(occurrence.value)))) return false;
  if (takes < 2) return words && values.size <= Math.max(2, seen.length * 0.75);
  for (const take of [0, 1]) {
    const takeWords = seen.filter((occurrence) => occurrence.take === take);
    const otherValues = new Set(seen.filter((occurrence) => occurrence.take !== take).map((occurrence) => occurrence.value));
    if (
      takeWords.length === 0 ||
      takeWords.filter((occurrence) => otherValues.has(occurrence.value)).length < recurringPart * takeWords.length
    )
      return false;
  }
  return true;
}
