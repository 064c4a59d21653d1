import { bodyKind, headerOf, headersOf, isStaticFile, mediaType, resolveReference } from '../take/messages.js';
import { readChallenges } from '../sign-in/challenge.js';
import { isRequest } from '../take/exchanges.js';
import type { Exchange, Mark, MessageExchange, RequestExchange } from '../take/take.schema.js';
import { answeredAtMs } from '../sockets/unfold-sockets.js';
import { isTelemetry, originOf } from './hosts.js';
import { pollKey } from './polling.js';
import type { Tidy } from './tidy.schema.js';

/** A request with the redirects that are followed in the same step. */
export interface RequestUnit {
  kind: 'request';
  /** In order; the first one is sent, the others follow from its answer. */
  chain: [RequestExchange, ...RequestExchange[]];
}

/** A message over a WebSocket. Messages have an order, so each is a step of its own. */
export interface MessageUnit {
  kind: 'message';
  message: MessageExchange;
}

/** What becomes one step of a script. */
export type Unit =
  | RequestUnit
  | MessageUnit
  | { kind: 'side-by-side'; units: [RequestUnit, ...RequestUnit[]] }
  | { kind: 'repeat'; first: RequestUnit; times: number; everyMs: number };

/** An event stream: it has events, not one answer. */
export const isEventStream = (exchange: RequestExchange): boolean => exchange.messages !== undefined && exchange.response?.status !== 101;

/** A handshake that opened a WebSocket (RFC 6455). */
export const opensSocket = (exchange: RequestExchange): boolean => exchange.response?.status === 101;

/** 401 answers that only asked for a connection sign-in: the same request came again with an Authorization and was let in. */
export function signInChallenges(exchanges: readonly RequestExchange[]): Map<number, string> {
  const found = new Map<number, string>();
  exchanges.forEach((exchange, index) => {
    if (exchange.response?.status !== 401) return;
    const [challenge] = readChallenges(headersOf(exchange.response.headers, 'www-authenticate'));
    const again = exchanges
      .slice(index + 1, index + 6)
      .find((otherExchange) => otherExchange.url === exchange.url && otherExchange.method === exchange.method);
    if (challenge && again && headerOf(again.requestHeaders, 'authorization') !== undefined) found.set(exchange.n, challenge.scheme);
  });
  return found;
}

/** The exchanges that stay. */
export function keptExchanges(exchanges: readonly Exchange[], tidy: Tidy): Exchange[] {
  const leftOut = new Set(tidy.leftOut);
  const dropped = new Set(tidy.dropped);
  const challenges = signInChallenges(exchanges.filter(isRequest));
  const kept = new Set(tidy.kept);
  const stays = new Set<number>();
  return exchanges.filter((exchange) => {
    // A message goes where the handshake goes that opened its WebSocket.
    if (exchange.kind === 'message') return stays.has(exchange.openedBy) && !dropped.has(exchange.n);
    const remains =
      !leftOut.has(originOf(exchange)) &&
      !dropped.has(exchange.n) &&
      !isEventStream(exchange) &&
      !challenges.has(exchange.n) &&
      !(tidy.staticFiles === 'drop' && isStaticFile(exchange) && !kept.has(exchange.n)) &&
      !(tidy.telemetry === 'drop' && isTelemetry(exchange)) &&
      tidy.polls[pollKey(exchange)] !== 'drop';
    if (remains) stays.add(exchange.n);
    return remains;
  });
}

/** Puts the exchanges that stay together as the steps of a script will be. */
export function unitsOf(exchanges: readonly Exchange[], tidy: Tidy, marks: readonly Mark[] = []): Unit[] {
  const kept = keptExchanges(exchanges, tidy);
  const single = tidy.foldRedirects ? foldRedirects(kept) : kept.map(unitOf);
  const repeated = joinPolls(single, tidy);
  return tidy.sideBySide ? joinOverlaps(repeated, marks) : repeated;
}

const unitOf = (exchange: Exchange): RequestUnit | MessageUnit =>
  exchange.kind === 'message' ? { kind: 'message', message: exchange } : { kind: 'request', chain: [exchange] };

export const startOf = (unit: Unit): number => firstOf(unit).startedAtMs;

export const firstOf = (unit: Unit): Exchange => exchangesOfUnit(unit)[0];

/** The exchanges that a unit is made of, the first one first; of a repeat those of its first round. */
export function exchangesOfUnit(unit: Unit): [Exchange, ...Exchange[]] {
  switch (unit.kind) {
    case 'request':
      return unit.chain;
    case 'message':
      return [unit.message];
    case 'repeat':
      return unit.first.chain;
    case 'side-by-side': {
      const [first, ...others] = unit.units;
      return [...first.chain, ...others.flatMap(({ chain }) => chain)];
    }
  }
}

/** When the last answer of a unit had come, ms since the start of the take. */
export function endOf(unit: Unit): number {
  if (unit.kind === 'side-by-side') return Math.max(...unit.units.map(endOf));
  if (unit.kind === 'repeat') return startOf(unit) + unit.times * unit.everyMs;
  return Math.max(...exchangesOfUnit(unit).map(answeredAtMs));
}

/** Exchanges that a redirect of the one before led to are followed in its step. */
function foldRedirects(kept: readonly Exchange[]): (RequestUnit | MessageUnit)[] {
  const taken = new Set<number>();
  const units: (RequestUnit | MessageUnit)[] = [];
  kept.forEach((exchange, index) => {
    if (taken.has(exchange.n)) return;
    if (exchange.kind === 'message') {
      units.push(unitOf(exchange));
      return;
    }
    const chain: RequestUnit['chain'] = [exchange];
    for (let at = redirectTarget(kept, index); at !== null; at = redirectTarget(kept, at)) {
      const next = kept[at];
      if (next?.kind !== 'request' || taken.has(next.n)) break;
      taken.add(next.n);
      chain.push(next);
    }
    units.push({ kind: 'request', chain });
  });
  return units;
}

/** A browser follows a redirect at once; what else runs meanwhile is no more than this many requests. */
const soonest = 20;

/** Where the exchange stands that a browser sent because the answer at `at` told it to (RFC 9110, 15.4); null where there is none. */
function redirectTarget(kept: readonly Exchange[], at: number): number | null {
  const exchange = kept[at];
  if (exchange?.kind !== 'request') return null;
  const { response } = exchange;
  if (!response || response.status < 300 || response.status >= 400 || response.status === 304) return null;
  const location = headerOf(response.headers, 'location');
  const target = location === undefined ? undefined : resolveReference(location, exchange.url);
  if (!target) return null;
  target.hash = '';
  const method = response.status === 307 || response.status === 308 || exchange.method === 'HEAD' ? exchange.method : 'GET';
  const found = kept
    .slice(at + 1, at + 1 + soonest)
    .findIndex((next) => next.kind === 'request' && next.url.replace(/#.*/, '') === target.href && next.method === method);
  return found < 0 ? null : at + 1 + found;
}

function joinPolls(units: readonly (RequestUnit | MessageUnit)[], tidy: Tidy): Unit[] {
  const joined: Unit[] = [];
  for (const unit of units) {
    if (unit.kind === 'message') {
      joined.push(unit);
      continue;
    }
    const key = pollKey(unit.chain[0]);
    const last = joined.at(-1);
    const before = last?.kind === 'repeat' ? last : last?.kind === 'request' ? { first: last, times: 1 } : null;
    if (tidy.polls[key] === 'repeat' && before && pollKey(before.first.chain[0]) === key) {
      const everyMs = (startOf(unit) - startOf(before.first)) / before.times;
      joined[joined.length - 1] = { kind: 'repeat', first: before.first, times: before.times + 1, everyMs };
    } else joined.push(unit);
  }
  return joined;
}

/** True for a request whose answer is a page, and for one that opens a WebSocket. */
const standsAlone = ({ chain }: RequestUnit): boolean =>
  chain[0].response?.status === 101 || bodyKind(mediaType((chain.at(-1) ?? chain[0]).response?.headers ?? [])) === 'html';

/** Requests that started before any of those that they overlap had ended did not wait for each other. */
function joinOverlaps(units: readonly Unit[], marks: readonly Mark[]): Unit[] {
  const joined: Unit[] = [];
  let group: RequestUnit[] = [];
  const close = () => {
    const [first, ...others] = group;
    if (first) joined.push(others.length === 0 ? first : { kind: 'side-by-side', units: [first, ...others] });
    group = [];
  };
  for (const unit of units) {
    if (unit.kind !== 'request') {
      close();
      joined.push(unit);
      continue;
    }
    const [first] = group;
    const isNewPart = first && marks.some((mark) => mark.kind === 'begin' && mark.atMs > startOf(first) && mark.atMs <= startOf(unit));
    if (isNewPart || (first && startOf(unit) >= Math.min(...group.map(endOf)))) close();
    // What a page asks for while it is still arriving needs what stands in its beginning: a page stands alone.
    if (standsAlone(unit)) close();
    group.push(unit);
    if (standsAlone(unit)) close();
  }
  close();
  return joined;
}
