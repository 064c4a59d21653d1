import { bodyKind, headerOf, headersOf, isStaticFile, mediaType, resolveReference } from '../take/messages.js';
import { readChallenges } from '../sign-in/challenge.js';
import type { Exchange, Mark } from '../take/take.schema.js';
import { isTelemetry, originOf } from './hosts.js';
import { questionOf } from './polling.js';
import type { Tidy } from './tidy.schema.js';

/** An exchange with the redirects that are followed in the same step. */
export interface RequestUnit {
  kind: 'request';
  /** In order; the first one is sent, the others follow from its answer. */
  chain: [Exchange, ...Exchange[]];
}

/** What becomes one step of a script. */
export type Unit =
  | RequestUnit
  | { kind: 'side-by-side'; units: [RequestUnit, ...RequestUnit[]] }
  | { kind: 'repeat'; first: RequestUnit; times: number; everyMs: number };

/** A WebSocket or an event stream: it has messages, not one answer. */
export const isLasting = (exchange: Exchange): boolean => exchange.messages !== undefined || exchange.response?.status === 101;

/** 401 answers that were only the door: the same request came again with an Authorization and was let in. */
export function challengesAtTheDoor(exchanges: readonly Exchange[]): Map<number, string> {
  const found = new Map<number, string>();
  exchanges.forEach((one, index) => {
    if (one.response?.status !== 401) return;
    const [challenge] = readChallenges(headersOf(one.response.headers, 'www-authenticate'));
    const again = exchanges.slice(index + 1, index + 6).find((other) => other.url === one.url && other.method === one.method);
    if (challenge && again && headerOf(again.requestHeaders, 'authorization') !== undefined) found.set(one.n, challenge.scheme);
  });
  return found;
}

/** The exchanges that stay. */
export function keptExchanges(exchanges: readonly Exchange[], tidy: Tidy): Exchange[] {
  const leftOut = new Set(tidy.leftOut);
  const dropped = new Set(tidy.dropped);
  const doors = challengesAtTheDoor(exchanges);
  return exchanges.filter(
    (one) =>
      !leftOut.has(originOf(one)) &&
      !dropped.has(one.n) &&
      !isLasting(one) &&
      !doors.has(one.n) &&
      !(tidy.staticFiles === 'drop' && isStaticFile(one)) &&
      !(tidy.telemetry === 'drop' && isTelemetry(one)) &&
      tidy.polls[questionOf(one)] !== 'drop',
  );
}

/** Puts the exchanges that stay together as the steps of a script will be. */
export function unitsOf(exchanges: readonly Exchange[], tidy: Tidy, marks: readonly Mark[] = []): Unit[] {
  const kept = keptExchanges(exchanges, tidy);
  const single = tidy.foldRedirects ? foldRedirects(kept) : kept.map((one): RequestUnit => ({ kind: 'request', chain: [one] }));
  const repeated = joinPolls(single, tidy);
  return tidy.sideBySide ? joinOverlaps(repeated, marks) : repeated;
}

export const startOf = (unit: Unit): number => firstOf(unit).startedAtMs;
export const firstOf = (unit: Unit): Exchange =>
  unit.kind === 'request' ? unit.chain[0] : unit.kind === 'repeat' ? unit.first.chain[0] : firstOf(unit.units[0]);
const endOf = (unit: RequestUnit): number => Math.max(...unit.chain.map((one) => one.startedAtMs + one.durationMs));

/** Exchanges that a redirect of the one before led to are followed in its step. */
function foldRedirects(kept: readonly Exchange[]): RequestUnit[] {
  const taken = new Set<number>();
  const units: RequestUnit[] = [];
  kept.forEach((one, index) => {
    if (taken.has(one.n)) return;
    const chain: RequestUnit['chain'] = [one];
    for (let last = one, at = index; ;) {
      const next = redirectTarget(last, kept.slice(at + 1));
      if (!next || taken.has(next.n)) break;
      taken.add(next.n);
      chain.push(next);
      at = kept.indexOf(next);
      last = next;
    }
    units.push({ kind: 'request', chain });
  });
  return units;
}

/** The exchange that a browser sent because an answer told it to (RFC 9110, 15.4). */
function redirectTarget(one: Exchange, later: readonly Exchange[]): Exchange | undefined {
  const { response } = one;
  if (!response || response.status < 300 || response.status >= 400 || response.status === 304) return undefined;
  const target = resolveReference(headerOf(response.headers, 'location') ?? '', one.url);
  if (!target || headerOf(response.headers, 'location') === undefined) return undefined;
  target.hash = '';
  const method = response.status === 307 || response.status === 308 || one.method === 'HEAD' ? one.method : 'GET';
  return later.slice(0, 20).find((next) => next.url.replace(/#.*/, '') === target.href && next.method === method);
}

function joinPolls(units: readonly RequestUnit[], tidy: Tidy): Unit[] {
  const joined: Unit[] = [];
  let lastStartMs = 0;
  for (const unit of units) {
    const key = questionOf(unit.chain[0]);
    const last = joined.at(-1);
    const startMs = unit.chain[0].startedAtMs;
    if (tidy.polls[key] === 'repeat' && last && last.kind !== 'side-by-side') {
      const first = last.kind === 'repeat' ? last.first : last;
      if (questionOf(first.chain[0]) === key) {
        const everyMs = last.kind === 'repeat' ? Math.max(last.everyMs, startMs - lastStartMs) : startMs - lastStartMs;
        joined[joined.length - 1] = { kind: 'repeat', first, times: (last.kind === 'repeat' ? last.times : 1) + 1, everyMs };
        lastStartMs = startMs;
        continue;
      }
    }
    joined.push(unit);
    lastStartMs = startMs;
  }
  return joined;
}

/** True for a request whose answer is a page. */
const isDocument = ({ chain }: RequestUnit): boolean => bodyKind(mediaType((chain.at(-1) ?? chain[0]).response?.headers ?? [])) === 'html';

/** Requests that started before any of those beside them had ended did not wait for each other. */
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
    // What a page asks for while it is still arriving needs what stands in its beginning: a page is beside nothing.
    if (isDocument(unit)) close();
    group.push(unit);
    if (isDocument(unit)) close();
  }
  close();
  return joined;
}
