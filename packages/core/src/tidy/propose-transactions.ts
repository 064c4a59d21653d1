import { cutText } from '../cut-text.js';
import { isStaticFile, looksLikeId, mediaType, bodyKind, pathAndQuery } from '../take/messages.js';
import { stepWords } from '../calls/step-words.js';
import { answerBody, isRequest, sentBody, sentType, verbOf } from '../take/exchanges.js';
import type { Exchange, LoadedTake, Take } from '../take/take.schema.js';
import { isPage } from './warnings.js';
import { readHtml } from '../answers/html.js';
import { bodyTree, type ValueTree } from '../values/value-tree.js';
import type { Tidy, TransactionStart } from './tidy.schema.js';
import { endOf, exchangesOfUnit, firstOf, startOf, unitsOf, type Unit } from './units.js';

/** A person needs this long to act after an answer; what comes sooner, the page does by itself. Common practice, no source. */
const shortestPauseMs = 700;
/** After this long any request begins something new. */
const longPauseMs = 4000;
const longestName = 48;
const mostRead = 400;

/**
 * Cuts a take in which nobody marked anything into transactions: where, after a pause, a page is opened or something is changed. Each is
 * named by what was done, as far as the traffic tells. Empty for a take that has marks of its own.
 */
export function proposeTransactions(loaded: LoadedTake, tidy: Tidy): TransactionStart[] {
  const { take, readBody } = loaded;
  if (isMarked(take)) return [];
  const units = unitsOf(loaded.exchanges, tidy, take.marks);
  const words = stepWords(units.map(firstOf), readBody);
  const groups: Unit[][] = [];
  let lastEndMs = -Infinity;
  for (const unit of units) {
    const pauseMs = startOf(unit) - lastEndMs;
    const group = groups.at(-1);
    const acts = unit.kind !== 'repeat' && exchangesOfUnit(unit).some((exchange) => opensPage(exchange) || isChange(exchange));
    if (!group || (pauseMs >= shortestPauseMs && acts) || (pauseMs >= longPauseMs && unit.kind !== 'repeat')) groups.push([unit]);
    else group.push(unit);
    lastEndMs = Math.max(lastEndMs, endOf(unit));
  }
  const headings = headingsOf(units.flatMap(exchangesOfUnit), readBody);
  const counts = new Map<string, number>();
  return groups.flatMap((group) => {
    const [first] = group;
    if (!first) return [];
    const name = nameOf(group.flatMap(exchangesOfUnit), words, headings, readBody);
    const count = (counts.get(name) ?? 0) + 1;
    counts.set(name, count);
    return [{ n: firstOf(first).n, name: count > 1 ? `${name} ${count}` : name }];
  });
}

/** True where somebody named transactions: a page that a browser loaded is none. */
const isMarked = ({ marks }: Take): boolean => marks.some((mark) => mark.kind === 'begin' && !mark.page);

/** Hashes of the bodies from which names of transactions are read. */
export const bodiesForTransactions = (exchanges: readonly Exchange[]): string[] =>
  exchanges
    .filter((exchange) => opensPage(exchange) || isChange(exchange))
    .slice(0, mostRead)
    .flatMap((exchange) => [opensPage(exchange) ? answerBody(exchange)?.hash : undefined, sentBody(exchange)?.hash])
    .filter((hash) => hash !== undefined);

const isChange = (exchange: Exchange): boolean => !/^(GET|HEAD|OPTIONS)$/.test(verbOf(exchange));

const opensPage = (exchange: Exchange): boolean => exchange.kind === 'request' && isPage(exchange);

/** What was done, by the first of its requests that says it. */
function nameOf(
  exchanges: readonly Exchange[],
  words: ReadonlyMap<number, readonly string[]>,
  headings: ReadonlyMap<number, string>,
  readBody: LoadedTake['readBody'],
): string {
  const asked = exchanges.filter((exchange) => exchange.kind === 'message' || !isStaticFile(exchange));
  const all = asked.length > 0 ? asked : exchanges;
  for (const exchange of all) {
    const path = pathAndQuery(exchange.url);
    if (/(log|sign)[-_]?(out|off)|disconnect/i.test(path)) return 'Sign out';
    const sent = isChange(exchange) ? sentNames(exchange, readBody) : [];
    if (sent.filter(({ name }) => /pass(word|wd)?$|^pwd$/i.test(name)).length === 1 && sent.length <= 12) return 'Sign in';
  }
  const change = all.find(isChange);
  const said = change && (words.get(change.n) ?? []).map(spaced).join(' ');
  if (said) return short(said);
  const heading = [...all].reverse().flatMap((exchange) => headings.get(exchange.n) ?? [])[0];
  if (change) {
    const pressed = sentNames(change, readBody).find(
      ({ name, value }) => /^(submit|save|button|action)$/i.test(name) && /^\p{L}[\p{L} ]{2,24}$/u.test(value),
    );
    const verb = pressed?.value ?? { PUT: 'Change', PATCH: 'Change', DELETE: 'Delete' }[verbOf(change)] ?? 'Send';
    return short(`${verb} ${heading === undefined ? thingOf(change) : `(${heading})`}`);
  }
  const [first] = all;
  return short(heading ?? (first ? `Open ${thingOf(first)}` : 'Open'));
}

/** By exchange what its page is called, without numbers and without the parts that all pages have in common: the application's own name. */
function headingsOf(exchanges: readonly Exchange[], readBody: LoadedTake['readBody']): Map<number, string> {
  const parts = new Map<number, string[]>();
  for (const { n, response } of exchanges.filter(isRequest)) {
    if (!response?.body || bodyKind(mediaType(response.headers)) !== 'html') continue;
    const { title } = readHtml((readBody(response.body.hash) ?? '').slice(0, 200_000));
    const titleParts = title
      .split(/\s*[|–—·:]\s+|\s+-\s+/)
      .map((part) =>
        part
          .replace(/\S*\d\S*/g, ' ')
          .replace(/\s+/g, ' ')
          .trim(),
      )
      .filter((part) => /\p{L}{2}/u.test(part));
    if (titleParts.length > 0) parts.set(n, titleParts);
  }
  const counts = new Map<string, number>();
  for (const ownPart of parts.values()) for (const part of new Set(ownPart)) counts.set(part, (counts.get(part) ?? 0) + 1);
  const isCommon = (part: string): boolean => parts.size > 2 && (counts.get(part) ?? 0) > parts.size / 2;
  return new Map(
    [...parts].flatMap(([n, titleParts]) =>
      titleParts
        .filter((part) => !isCommon(part))
        .slice(0, 1)
        .map((part) => [n, part] as const),
    ),
  );
}

interface Sent {
  name: string;
  value: string;
}

function sentNames(exchange: Exchange, readBody: LoadedTake['readBody']): Sent[] {
  const body = sentBody(exchange);
  const text = body ? (readBody(body.hash) ?? '') : '';
  if (text === '' || text.length > 100_000) return [];
  const found: Sent[] = [];
  const walk = (tree: ValueTree): void => {
    for (const kid of tree.kids) {
      if (kid.tree.kids.length > 0) walk(kid.tree);
      else found.push({ name: kid.name, value: kid.tree.text });
    }
  };
  walk(bodyTree(text, bodyKind(sentType(exchange))));
  return found;
}

/** The last word of an address that is no id. */
function thingOf(exchange: Exchange): string {
  const parts = (pathAndQuery(exchange.url).split('?')[0] ?? '/')
    .split('/')
    .filter((part) => part !== '' && !looksLikeId(part) && !/^\d/.test(part));
  return spaced((parts.at(-1) ?? new URL(exchange.url).hostname).replace(/\.\w{2,5}$/, '')).toLowerCase();
}

/** “saveIntake”, “save_intake” and “save-intake” as words. */
const spaced = (word: string): string => {
  const plain = word
    .replace(/([a-z\d])([A-Z])/g, '$1 $2')
    .replace(/[_\-./:]+/g, ' ')
    .trim();
  return plain.charAt(0).toUpperCase() + plain.slice(1).toLowerCase();
};

const short = (text: string): string => cutText(text, longestName - 1);
