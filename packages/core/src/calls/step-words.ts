import { pathAndQuery } from '../take/messages.js';
import { isProgramWord, Telling, type TellingValue } from './telling.js';
import type { Exchange, LoadedTake } from '../take/take.schema.js';
import { verbOf } from '../take/exchanges.js';

/** Names under which programs say what shall be done; common practice, no source. */
const doing =
  /^(cmd|command|action|act|method|op|operation|operationname|event|eventname|do|task|procedure|proc|function|func|call|service|message|verb|model|class|soapaction|_method)$/i;

/** Words for one step: more would not fit in its row. */
const mostWords = 2;

const addressOf = (exchange: Exchange): string =>
  `${verbOf(exchange)} ${new URL(exchange.url).origin}${pathAndQuery(exchange.url).split('?')[0] ?? '/'}`;

/**
 * By the number of an exchange the words that tell what it asks, where several requests to one address ask different things: the procedure that
 * is called, the operation, the action of a form. None where the address says it.
 */
export function stepWords(exchanges: readonly Exchange[], readBody: LoadedTake['readBody']): Map<number, string[]> {
  const groups = new Map<string, Exchange[]>();
  for (const exchange of exchanges) {
    if (exchange.kind === 'message') continue;
    const group = groups.get(addressOf(exchange));
    if (group) group.push(exchange);
    else groups.set(addressOf(exchange), [exchange]);
  }
  const words = new Map<number, string[]>();
  const several = [...groups.values()].filter((group) => group.length > 1);
  if (several.length === 0) return words;
  const telling = new Telling([{ exchanges: several.flat(), readBody }], addressOf);
  for (const ownExchanges of several) {
    const asked = new Map(ownExchanges.map((exchange) => [exchange, byPlace(exchange, telling)]));
    for (const place of tellingPlaces(ownExchanges, asked))
      for (const exchange of ownExchanges) {
        const value = asked.get(exchange)?.get(place);
        if (value !== undefined) words.set(exchange.n, [...(words.get(exchange.n) ?? []), value]);
      }
  }
  return words;
}

function byPlace(exchange: Exchange, telling: Telling): Map<string, string> {
  const isOne = ({ name, value }: TellingValue): boolean => isProgramWord(value) && doing.test(name.replace(/^.*[./]/, ''));
  const found = new Map<string, string>();
  for (const tellingValue of [
    ...telling.asked(exchange).filter(isOne),
    ...telling.of(exchange).filter(({ value }) => isProgramWord(value)),
  ])
    if (!found.has(tellingValue.place)) found.set(tellingValue.place, tellingValue.value);
  return found;
}

/** The places whose values tell most of the requests apart, in the order in which they are sent. */
function tellingPlaces(exchanges: readonly Exchange[], asked: ReadonlyMap<Exchange, ReadonlyMap<string, string>>): string[] {
  const places = [...new Set(exchanges.flatMap((exchange) => [...(asked.get(exchange)?.keys() ?? [])]))];
  const combinations = (chosen: readonly string[]): number =>
    new Set(exchanges.map((exchange) => chosen.map((place) => asked.get(exchange)?.get(place) ?? '').join('\n'))).size;
  const chosen: string[] = [];
  while (chosen.length < mostWords) {
    const [best] = places
      .filter((place) => !chosen.includes(place))
      .map((place) => ({ place, count: combinations([...chosen, place]) }))
      .sort((left, right) => right.count - left.count);
    if (!best || best.count <= combinations(chosen)) break;
    chosen.push(best.place);
  }
  return places.filter((place) => chosen.includes(place));
}
