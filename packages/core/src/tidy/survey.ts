import { bodyKind, headerOf, isStaticFile, mediaType, pathAndQuery } from '../take/messages.js';
import { isRequest, verbOf } from '../take/exchanges.js';
import type { Exchange, LoadedTake, MessageExchange, RequestExchange } from '../take/take.schema.js';
import { doubledByWorker } from './doubled.js';
import { bodiesForEffects, effectsOf } from './effects.js';
import { bodiesForUnasked, unaskedInVain } from './unasked.js';
import { filesNotAsked, isPage, warningsOf } from './warnings.js';
import { userInAddress } from '../sign-in/basic.js';
import { hostsOf, isTelemetry, originOf } from './hosts.js';
import { pollsOf, questionOf } from './polling.js';
import { bodiesForTransactions, proposeTransactions } from './propose-transactions.js';
import { recordedTwice } from './recorded-twice.js';
import { usualTidy, type Suspicion, type Survey, type Tidy } from './tidy.schema.js';
import { signInChallenges, endOf, isEventStream, startOf, unitsOf } from './units.js';

const clockJumpMs = 30_000;

const short = (exchange: Exchange): string => `${verbOf(exchange)} ${pathAndQuery(exchange.url).split('?')[0] ?? '/'}`;
const many = (count: number, what: string): string => (count === 1 ? `one ${what}` : `${count} ${what.replace(/y$/, 'ie')}s`);
const listed = (exchanges: readonly Exchange[]): string =>
  exchanges
    .slice(0, 3)
    .map((exchange) => `${short(exchange)} (no. ${exchange.n})`)
    .join(', ') + (exchanges.length > 3 ? ` and ${exchanges.length - 3} more` : '');
const numbers = (exchanges: readonly Exchange[]): number[] => exchanges.map((exchange) => exchange.n);

/** The first page of each kind: what a cache kept from one of them, it kept from all. */
function firstPages(exchanges: readonly RequestExchange[]): RequestExchange[] {
  const seen = new Set<string>();
  return exchanges.filter((exchange) => isPage(exchange) && !seen.has(questionOf(exchange)) && seen.add(questionOf(exchange)));
}

/** Hashes of the bodies that a survey reads; of a large take these are a few. */
export const surveyBodies = (exchanges: readonly Exchange[]): string[] => [
  ...firstPages(exchanges.filter(isRequest)).flatMap((page) => (page.response?.body ? [page.response.body.hash] : [])),
  ...bodiesForUnasked(exchanges),
  ...bodiesForEffects(exchanges),
  ...bodiesForTransactions(exchanges),
];

/** Looks a take over: what it holds, what of it a script needs, and what is suspicious. Reads the bodies of `surveyBodies`. */
export function surveyTake(loaded: LoadedTake): Survey {
  const { exchanges } = loaded;
  const requests = exchanges.filter(isRequest);
  const { hosts, exchanges: filesWithEffect } = effectsOf(exchanges, hostsOf(requests), loaded.readBody);
  const polls = pollsOf(
    requests.filter((exchange) => !isTelemetry(exchange)),
    loaded.take.marks,
  );
  const telemetry = requests.filter(isTelemetry);
  const files = requests.filter(isStaticFile);
  const unasked = unaskedInVain(loaded);
  const doubled = doubledByWorker(requests);
  const proposal: Tidy = {
    ...usualTidy,
    leftOut: hosts.filter((host) => host.role === 'telemetry' || host.role === 'other').map((host) => host.origin),
    dropped: numbers([...unasked, ...doubled]),
    kept: [...filesWithEffect],
    polls: Object.fromEntries(polls.map((poll): [string, 'repeat' | 'drop'] => [poll.key, poll.sameAnswer ? 'drop' : 'repeat'])),
  };
  const units = unitsOf(exchanges, proposal, loaded.take.marks);
  const chains = units
    .flatMap((unit) => {
      if (unit.kind === 'message') return [];
      return unit.kind === 'request' ? [unit] : unit.kind === 'side-by-side' ? unit.units : [unit.first];
    })
    .filter((unit) => unit.chain.length > 1);
  const groups = units.filter((unit) => unit.kind === 'side-by-side');
  const gaps = units.slice(1).map((unit, index) => startOf(unit) - endOf(units[index] ?? unit));
  return {
    hosts,
    staticFiles: { requests: files.length, bytes: files.reduce((sum, file) => sum + (file.response?.body?.size ?? 0), 0) },
    telemetry: { requests: telemetry.length, names: [...new Set(telemetry.map(short))].slice(0, 5) },
    polls,
    doubled: numbers(doubled),
    redirects: { chains: chains.length, requests: chains.reduce((sum, chain) => sum + chain.chain.length - 1, 0) },
    sideBySide: { groups: groups.length, requests: groups.reduce((sum, group) => sum + group.units.length, 0) },
    pauses: { count: gaps.filter((gap) => gap > usualTidy.longestPauseMs).length, longestMs: Math.max(0, ...gaps) },
    findings: findingsOf(loaded, new Set(polls.flatMap((poll) => poll.exchanges)), unasked, doubled),
    transactions: proposeTransactions(loaded, proposal),
    proposal,
    played: units.reduce((sum, unit) => sum + (unit.kind === 'side-by-side' ? unit.units.length : 1), 0),
  };
}

/** What is suspicious about a take, the gravest first. */
function findingsOf(
  loaded: LoadedTake,
  polled: ReadonlySet<number>,
  unasked: readonly MessageExchange[],
  doubled: readonly RequestExchange[],
): Suspicion[] {
  const { take, readBody } = loaded;
  const exchanges = loaded.exchanges.filter(isRequest);
  const found: Suspicion[] = [];
  const tell = (kind: Suspicion['kind'], sentence: string, about: readonly Exchange[], action: Suspicion['action'] = null) =>
    found.push({ kind, sentence: sentence.charAt(0).toUpperCase() + sentence.slice(1), exchanges: numbers(about), action });
  if (loaded.exchanges.length === 0) {
    tell('empty', 'The take holds no exchange. Set the proxy in the browser and record again.', [], {
      label: 'Record again',
      go: 'record',
    });
    return found;
  }
  insideASession(exchanges, tell);
  const challenges = signInChallenges(exchanges);
  const [challenged] = exchanges.filter((exchange) => challenges.has(exchange.n));
  if (challenged)
    tell(
      'connection-sign-in',
      `${originOf(challenged)} asks for a sign-in by ${challenges.get(challenged.n) ?? ''} before its pages. What the browser answered cannot be sent again; give user and password in the environment.`,
      exchanges.filter((exchange) => challenges.has(exchange.n)),
      { label: 'Open the environment', go: 'environment' },
    );
  const withUser = exchanges.filter((exchange) => userInAddress(exchange.url) !== null);
  const [signedIn] = withUser;
  if (signedIn)
    tell(
      'sign-in-in-an-address',
      `${many(withUser.length, 'request')} to ${originOf(signedIn)} ${withUser.length === 1 ? 'names its' : 'name their'} user in the address (“${userInAddress(signedIn.url)?.user ?? ''}”). It is sent by HTTP Basic, and becomes a sign-in of the environment once a script is made of this take; give users of your own there.`,
      withUser,
      { label: 'Open the environment', go: 'environment' },
    );
  const cached = exchanges.filter((exchange) => warningsOf(exchange).some((warning) => warning.kind === 'cached'));
  const asked = new Set(exchanges.map((exchange) => exchange.url));
  const withoutFiles = firstPages(exchanges).filter(
    (page) => filesNotAsked(page, readBody(page.response?.body?.hash ?? '') ?? '', asked) !== null,
  );
  if (cached.length > 0 || withoutFiles.length > 0)
    tell(
      'cached',
      `The browser had files in its cache: ${[cached.length > 0 ? `${many(cached.length, 'answer')} came from it` : '', withoutFiles.length > 0 ? `${many(withoutFiles.length, 'page')} named files that were never asked for` : ''].filter(Boolean).join(', and ')}. A new visitor asks for all of them.`,
      [...cached, ...withoutFiles],
      { label: 'Record in the clean browser', go: 'record' },
    );
  const failed = exchanges.filter(
    (exchange) =>
      !challenges.has(exchange.n) && (exchange.failure !== null || (exchange.response?.status ?? 0) >= 400) && !isEventStream(exchange),
  );
  if (failed.length > 0)
    tell(
      'failed',
      `${many(failed.length, 'request')} failed while recording: ${listed(failed)}. Replayed, ${failed.length === 1 ? 'it' : 'they'} will fail again.`,
      failed,
      {
        label: failed.length === 1 ? 'Leave it out' : 'Leave them out',
        drop: numbers(failed),
      },
    );
  const bodiless = exchanges.filter(lacksBody);
  if (bodiless.length > 0)
    tell(
      'missing-body',
      `The ${bodiless.length === 1 ? 'body' : 'bodies'} of ${many(bodiless.length, 'answer')} ${bodiless.length === 1 ? 'is' : 'are'} missing: ${listed(bodiless)}. Values that they gave cannot be found. Export “with content”, or record with the proxy.`,
      bodiless,
      { label: 'Record with the proxy', go: 'record' },
    );
  const cut = exchanges.filter((exchange) => warningsOf(exchange).some((warning) => warning.kind === 'cut-body'));
  if (cut.length > 0)
    tell('cut-body', `${many(cut.length, 'body')} ${cut.length === 1 ? 'was' : 'were'} kept in part only: ${listed(cut)}.`, cut);
  clockJumps(take.startedAt, exchanges, tell);
  const isDoubled = new Set(doubled);
  const twice = recordedTwice(
    exchanges.filter((exchange) => !polled.has(exchange.n) && !isTelemetry(exchange) && !isDoubled.has(exchange)),
  );
  if (twice)
    tell(
      'recorded-twice',
      `${twice.first.length} requests were recorded twice: no. ${twice.first[0] ?? 0} to ${twice.first.at(-1) ?? 0}, and again no. ${twice.again[0] ?? 0} to ${twice.again.at(-1) ?? 0}. If the second time was a slip, leave it out.`,
      exchanges.filter((exchange) => twice.again.includes(exchange.n)),
      { label: 'Leave the second out', drop: twice.again },
    );
  if (unasked.length > 0)
    tell(
      'unasked',
      `${many(unasked.length, 'message')} came over a WebSocket unasked, and nothing of ${unasked.length === 1 ? 'it' : 'them'} is sent later: ${listed(unasked)}. A script does not wait for ${unasked.length === 1 ? 'it' : 'them'}.`,
      unasked,
      { label: unasked.length === 1 ? 'Leave it out' : 'Leave them out', drop: numbers(unasked) },
    );
  if (doubled.length > 0)
    tell(
      'doubled',
      `${many(doubled.length, 'request')} ${doubled.length === 1 ? 'stands' : 'stand'} twice, because a service worker of the page sent ${doubled.length === 1 ? 'it' : 'them'} on: ${listed(doubled)}. The server was asked once, so one of each two is left out.`,
      doubled,
      { label: doubled.length === 1 ? 'Leave it out' : 'Leave them out', drop: numbers(doubled) },
    );
  const lasting = exchanges.filter(isEventStream);
  if (lasting.length > 0)
    tell(
      'not-playable',
      `${many(lasting.length, 'event stream')} with ${lasting.reduce((sum, exchange) => sum + (exchange.messages?.length ?? 0), 0)} events ${lasting.length === 1 ? 'was' : 'were'} recorded and can be read here, but a script cannot play ${lasting.length === 1 ? 'it' : 'them'} yet and leaves ${lasting.length === 1 ? 'it' : 'them'} out.`,
      lasting,
    );
  const warnings = take.warnings ?? [];
  const refused = warnings.filter((warning) => warning.kind === 'refused-host').map((warning) => warning.about);
  if (refused.length > 0)
    tell(
      'refused-host',
      `${refused.length === 1 ? 'A host was' : `${refused.length} hosts were`} refused, because the environment does not name ${refused.length === 1 ? 'it' : 'them'}: ${refused.join(', ')}. Add what belongs to the application, then record again.`,
      [],
      { label: 'Open the environment', go: 'environment' },
    );
  for (const warning of warnings)
    if (warning.kind === 'certificate') tell('certificate', warning.text, [], { label: 'Open the environment', go: 'environment' });
  return found;
}

type Tell = (kind: Suspicion['kind'], sentence: string, about: readonly RequestExchange[], action?: Suspicion['action']) => void;

/** Cookies that the first requests already send were set before the take began. */
function insideASession(exchanges: readonly RequestExchange[], tell: Tell): void {
  const set = new Set<string>();
  for (const exchange of exchanges) {
    const sent = (headerOf(exchange.requestHeaders, 'cookie') ?? '')
      .split(/;\s*/)
      .map((pair) => pair.split('=')[0] ?? '')
      .filter((name) => name !== '' && !set.has(`${new URL(exchange.url).hostname} ${name}`));
    // A page script may set a cookie at any time; only what is there from the first page on was there before.
    const [strange] = sent;
    const isFirst = exchange === exchanges.find((otherExchange) => !isStaticFile(otherExchange));
    if (strange !== undefined && isFirst) {
      tell(
        'inside-a-session',
        `The take starts inside a session: its first request already sends the cookie “${strange}”${sent.length > 1 ? ` and ${sent.length - 1} more` : ''}, which no answer of the take set. A new virtual user does not have it. Record from the sign-in on, in the clean browser.`,
        [exchange],
        { label: 'Record from the sign-in on', go: 'record' },
      );
      return;
    }
    for (const [name, value] of exchange.response?.headers ?? [])
      if (name.toLowerCase() === 'set-cookie') set.add(`${new URL(exchange.url).hostname} ${value.split('=')[0] ?? ''}`);
  }
}

/** An answer that had a body by its own account, which the take does not hold. */
function lacksBody(exchange: RequestExchange): boolean {
  const { response } = exchange;
  if (!response || response.body || isStaticFile(exchange) || exchange.method === 'HEAD') return false;
  if (response.status !== 200 || isEventStream(exchange)) return false;
  const saidLength = Number(headerOf(response.headers, 'content-length') ?? '-1');
  const kept = exchange.harEntry as { response?: { content?: { size?: number } } } | null;
  return (
    saidLength > 0 ||
    (kept?.response?.content?.size ?? 0) > 0 ||
    (saidLength < 0 && ['html', 'json', 'xml'].includes(bodyKind(mediaType(response.headers))))
  );
}

/** The servers' clocks (Date, RFC 9110, 6.6.1) and that of the take run apart by the same time, unless one of them was set. */
function clockJumps(startedAt: string, exchanges: readonly RequestExchange[], tell: Tell): void {
  const zeroMs = Date.parse(startedAt);
  const last = new Map<string, number>();
  for (const exchange of exchanges) {
    const date = Date.parse(headerOf(exchange.response?.headers ?? [], 'date') ?? '');
    if (Number.isNaN(date) || headerOf(exchange.response?.headers ?? [], 'age') !== undefined) continue;
    const apart = date - (zeroMs + exchange.startedAtMs + exchange.durationMs);
    const before = last.get(originOf(exchange));
    if (before !== undefined && Math.abs(apart - before) > clockJumpMs) {
      tell(
        'clock-jump',
        `A clock jumped by ${Math.round(Math.abs(apart - before) / 1000)} s at ${short(exchange)} (no. ${exchange.n}): that of this machine or of ${originOf(exchange)}. Pauses around it cannot be trusted.`,
        [exchange],
      );
      return;
    }
    last.set(originOf(exchange), apart);
  }
}
