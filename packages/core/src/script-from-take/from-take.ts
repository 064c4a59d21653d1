import { bodyKind, headerOf, headersOf, pathAndQuery, pathShape, resolveReference, textShape } from '../take/messages.js';
import { stepWords } from '../calls/step-words.js';
import { isRequest, verbOf } from '../take/exchanges.js';
import type { BodyRef, Exchange, LoadedTake, MessageExchange, RequestExchange, Take } from '../take/take.schema.js';
import { basicAuthorization, userInAddress } from '../sign-in/basic.js';
import { originOf } from '../tidy/hosts.js';
import { opensSocket, endOf, firstOf, startOf, unitsOf, type RequestUnit, type Unit } from '../tidy/units.js';
import type { Tidy, TransactionStart } from '../tidy/tidy.schema.js';
import { rootElement } from '../answers/html.js';
import { multipartParts } from '../values/multipart.js';
import { viewOf } from '../answers/response-view.js';
import { fileSign } from '../values/template.js';
import type { Step } from '../script/step.schema.js';
import type { Expectation, RequestStep } from '../actions/http/request.schema.js';
import type { MessageStep } from '../actions/message/message.schema.js';
import type { Script, Transaction } from '../script/script.schema.js';
import type { Template } from '../values/template.schema.js';
import { usualAwaitMs } from '../actions/message/message.schema.js';
import { awaitedOf, messageWord, SocketNames } from './socket-steps.js';

/** What a take becomes as a script. */
export interface FromTakeOptions {
  scriptId: string;
  name: string;
  /** What stays, and what is put together. */
  tidy: Tidy;
  /** Where transactions begin in a take without marks; without them it is one. */
  transactions?: readonly TransactionStart[];
  /** Origins whose users in addresses are sign-ins of the environment, so that the script does not send them itself. */
  signedIn?: readonly string[];
  /** True where nobody reads the names of the steps, so that the bodies need not be read for them. */
  unnamed?: true;
}

/** Headers that the client makes anew for each request or connection, so they are not kept. */
const droppedHeaders = new Set(
  'host connection content-length cookie proxy-connection keep-alive transfer-encoding if-none-match if-modified-since upgrade te sec-websocket-key sec-websocket-version sec-websocket-extensions'.split(
    ' ',
  ),
);

const shortestPauseMs = 100;

/** Makes a script from a take: transactions from marks, steps from exchanges, pauses from the gaps between them. */
export function scriptFromTake(loaded: LoadedTake, options: FromTakeOptions): Script {
  const { take, exchanges } = loaded;
  const units = unitsOf(exchanges, options.tidy, take.marks);
  const ofTake: OfTake = {
    cookies: clientCookies(exchanges.filter(isRequest)),
    sockets: new SocketNames(exchanges.filter(isRequest).filter(opensSocket)),
    words: options.unnamed ? new Map() : stepWords(units.flatMap(firstExchanges), loaded.readBody),
    signedIn: new Set(options.signedIn),
  };
  const starts = [...(options.transactions ?? [])].sort((left, right) => left.n - right.n);
  const transactions: Transaction[] = [];
  let lastEndMs = units[0] ? startOf(units[0]) : 0;
  for (const unit of units) {
    const exchange = firstOf(unit);
    const name = (starts.findLast((start) => start.n <= exchange.n) ?? starts[0])?.name ?? transactionAt(loaded, exchange);
    let transaction = transactions.at(-1);
    if (transaction?.name !== name) {
      transaction = { kind: 'transaction', id: `t${transactions.length + 1}`, name, steps: [] };
      transactions.push(transaction);
    }
    const gapMs = Math.min(exchange.startedAtMs - lastEndMs - pausedMs(take, lastEndMs, exchange.startedAtMs), options.tidy.longestPauseMs);
    if (gapMs >= shortestPauseMs) transaction.steps.push({ kind: 'pause', id: `p${exchange.n}`, ms: Math.round(gapMs) });
    transaction.steps.push(stepOfUnit(unit, loaded, ofTake));
    lastEndMs = Math.max(lastEndMs, endOf(unit));
  }
  addComments(loaded, transactions, units);
  return {
    id: options.scriptId,
    projectId: take.projectId,
    name: options.name,
    takeId: take.id,
    secondTakeId: null,
    transactions,
    handoffs: [],
    made: [],
    unsure: [],
  };
}

/** The time between two moments in which the recording was paused. */
function pausedMs(take: Take, fromMs: number, toMs: number): number {
  let paused = 0;
  let since: number | null = null;
  for (const mark of take.marks) {
    if (mark.kind === 'pause') since = mark.atMs;
    else if (mark.kind === 'resume' && since !== null) {
      paused += Math.max(0, Math.min(mark.atMs, toMs) - Math.max(since, fromMs));
      since = null;
    }
  }
  return paused;
}

/** What is known of the take as a whole. */
interface OfTake {
  cookies: ClientCookies;
  sockets: SocketNames;
  /** What tells requests to one address apart, by the number of the exchange. */
  words: ReadonlyMap<number, readonly string[]>;
  /** Origins at which the environment signs in. */
  signedIn: ReadonlySet<string>;
}

/** The exchanges of a unit that give steps their names. */
const firstExchanges = (unit: Unit): Exchange[] =>
  unit.kind === 'side-by-side' ? unit.units.map((requestUnit) => requestUnit.chain[0]) : [firstOf(unit)];

function stepOfUnit(unit: Unit, loaded: LoadedTake, ofTake: OfTake): Step {
  switch (unit.kind) {
    case 'request':
      return requestStep(unit.chain, loaded, ofTake);
    case 'message':
      return messageStep(unit.message, loaded, ofTake);
    case 'side-by-side':
      return {
        kind: 'side-by-side',
        id: `b${firstOf(unit).n}`,
        steps: unit.units.map((requestUnit) => requestStep(requestUnit.chain, loaded, ofTake)),
      };
    case 'repeat': {
      const step = requestStep(unit.first.chain, loaded, ofTake);
      const tookMs = unit.first.chain.reduce((sum, exchange) => sum + exchange.durationMs, 0);
      const pauseMs = Math.max(0, Math.round(unit.everyMs - tookMs));
      return { kind: 'repeat', id: `r${firstOf(unit).n}`, name: `Ask again: ${step.name}`, times: unit.times, pauseMs, steps: [step] };
    }
  }
}

/** The transaction that was open when a request started: between its begin and end marks, else named by the flow. */
function transactionAt({ take }: LoadedTake, exchange: Exchange): string {
  let open: string | null = null;
  let last: string | null = null;
  for (const mark of take.marks) {
    if (mark.atMs > exchange.startedAtMs) break;
    if (mark.kind === 'begin') {
      open = mark.text;
      last = mark.text;
    } else if (mark.kind === 'end') open = null;
  }
  // What a page still loads after its transaction was ended belongs to that transaction.
  return open ?? last ?? take.name;
}

function addComments({ take }: LoadedTake, transactions: Transaction[], units: readonly Unit[]): void {
  take.marks.forEach((mark, index) => {
    if (mark.kind !== 'comment') return;
    const comment: Step = { kind: 'comment', id: `c${index + 1}`, text: mark.text };
    const next = units.find((unit) => startOf(unit) >= mark.atMs);
    const wanted = next && `${{ request: 's', message: 's', 'side-by-side': 'b', repeat: 'r' }[next.kind]}${firstOf(next).n}`;
    for (const transaction of transactions) {
      const at = transaction.steps.findIndex((step) => step.id === wanted);
      if (at >= 0) {
        transaction.steps.splice(at, 0, comment);
        return;
      }
    }
    transactions.at(-1)?.steps.push(comment);
  });
}

function requestStep(chain: RequestUnit['chain'], { readBody, readBytes }: LoadedTake, ofTake: OfTake): RequestStep {
  const [exchange, ...hops] = chain;
  const body = exchange.requestBody;
  const template = body && bodyTemplate(body, readBody(body.hash), readBytes);
  const cookies = ofTake.cookies.get(exchange.n);
  return {
    kind: 'request',
    id: `s${exchange.n}`,
    name: nameOf(exchange, [], ofTake),
    exchange: exchange.n,
    ...(hops.length === 0 ? {} : { hops: hops.map((hop) => hop.n) }),
    method: exchange.method,
    origin: originOf(exchange),
    url: [{ kind: 'text', text: pathAndQuery(exchange.url) }],
    headers: exchange.requestHeaders
      .filter(([name]) => !droppedHeaders.has(name.toLowerCase()) && !name.startsWith(':'))
      .map(([name, value]): RequestStep['headers'][number] => ({ name, value: [{ kind: 'text', text: value }] }))
      .concat(ofTake.signedIn.has(originOf(exchange)) ? [] : authorizationInAddress(exchange))
      .concat(cookies === undefined ? [] : [{ name: 'Cookie', value: [{ kind: 'text', text: cookies }] }]),
    body: template ?? null,
    bodyFile: body && !template ? body.hash : null,
    expect: expectationOfChain(chain, readBody),
    followRedirects: hops.length > 0,
    ...(opensSocket(exchange) ? { opensSocket: ofTake.sockets.of(exchange.n) } : {}),
    ...(/^h(ttp\/)?2/i.test(exchange.httpVersion) ? { http2: true as const } : {}),
  };
}

function messageStep(exchange: MessageExchange, { readBody, readBytes }: LoadedTake, ofTake: OfTake): MessageStep {
  const { action, sent: body } = exchange;
  const template = body && bodyTemplate(body, readBody(body.hash), readBytes);
  const awaits = action === 'close' ? null : awaitedOf(exchange, readBody);
  return {
    kind: 'message',
    id: `s${exchange.n}`,
    name: nameOf(exchange, [messageWord(exchange, readBody) ?? ''], ofTake),
    exchange: exchange.n,
    socket: ofTake.sockets.of(exchange.openedBy),
    action,
    format: exchange.format,
    body: template ?? null,
    bodyFile: body && !template ? body.hash : null,
    awaits: action === 'await' ? (awaits ?? { same: [], holds: [], atMostMs: usualAwaitMs }) : awaits,
    expect: { content: viewOf(exchange, readBody)?.kind ?? null },
  };
}

/** Verb and path, with the words that tell it from others of the same path. */
const nameOf = (exchange: Exchange, words: readonly string[], ofTake: OfTake): string =>
  [verbOf(exchange), ...words, pathAndQuery(exchange.url).split('?')[0] ?? '/', ...(ofTake.words.get(exchange.n) ?? [])]
    .filter(Boolean)
    .join(' ');

/** What a browser makes of a user in an address: the Authorization of the Basic scheme (RFC 7617), where it sent no other. */
function authorizationInAddress({ url, requestHeaders }: RequestExchange): RequestStep['headers'] {
  const given = userInAddress(url);
  if (given === null || headerOf(requestHeaders, 'authorization') !== undefined) return [];
  return [{ name: 'Authorization', value: [{ kind: 'text', text: basicAuthorization(given.user, given.password) }] }];
}

/** The body as a text with its files apart; undefined where it is no text and is sent as it is. */
function bodyTemplate(body: BodyRef, text: string | undefined, readBytes: LoadedTake['readBytes']): Template | undefined {
  const kind = bodyKind(body.mimeType);
  if (text === undefined || text === '' || kind === 'binary') return undefined;
  // A byte that is no UTF-8 is read as U+FFFD; sent again, the text would be another.
  if (!text.includes('\uFFFD')) return [{ kind: 'text', text }];
  const bytes = kind === 'multipart' ? readBytes?.(body.hash) : undefined;
  return bytes && withFiles(body.hash, bytes);
}

/** A multipart body with the files in it as runs of bytes and the rest as text; undefined where the rest is no text either. */
function withFiles(hash: string, bytes: Uint8Array): Template | undefined {
  // One sign a byte, so that offsets in the text are those of the bytes.
  const flat = new TextDecoder('latin1').decode(bytes);
  const files = (multipartParts(flat) ?? []).filter((part) => part.fileName !== null && part.end > part.start);
  const template: Template = [];
  const decoder = new TextDecoder('utf-8', { fatal: true });
  try {
    let at = 0;
    for (const { start, end } of [...files, { start: bytes.length, end: bytes.length }]) {
      if (start > at) template.push({ kind: 'text', text: decoder.decode(bytes.subarray(at, start)) });
      if (end > start) template.push({ kind: 'file', hash, start, end, recorded: fileSign });
      at = end;
    }
  } catch {
    return undefined;
  }
  return files.length > 0 ? template : undefined;
}

/** By exchange the cookies that page scripts made: no response had set them, and the take did not start with them. */
type ClientCookies = ReadonlyMap<number, string>;

function clientCookies(exchanges: readonly RequestExchange[]): ClientCookies {
  const found = new Map<number, string>();
  const known = new Map<string, Set<string>>();
  const seen = new Set<string>();
  for (const exchange of exchanges) {
    const host = URL.canParse(exchange.url) ? new URL(exchange.url).hostname : '';
    const pairs = headersOf(exchange.requestHeaders, 'cookie').flatMap((line) => line.split(';').map((pair) => pair.trim()));
    const fresh = !seen.has(host);
    seen.add(host);
    const madePairs = pairs.filter((pair) => {
      const equals = pair.indexOf('=');
      const name = pair.slice(0, equals);
      const values = known.get(name) ?? new Set<string>();
      known.set(name, values);
      // What a take starts with is left from before; the finding “sign-in missing” tells of it.
      if (fresh) values.add(pair.slice(equals + 1));
      return equals > 0 && !values.has(pair.slice(equals + 1));
    });
    if (madePairs.length > 0) found.set(exchange.n, madePairs.join('; '));
    for (const line of headersOf(exchange.response?.headers ?? [], 'set-cookie')) {
      const pair = line.split(';')[0] ?? '';
      const equals = pair.indexOf('=');
      const name = pair.slice(0, equals).trim();
      known.set(name, (known.get(name) ?? new Set()).add(pair.slice(equals + 1).trim()));
    }
  }
  return found;
}

/** What is expected of a step that follows redirects: the last answer, and that one was led to it. */
function expectationOfChain(chain: RequestUnit['chain'], readBody: LoadedTake['readBody']): Expectation {
  const last = chain.at(-1) ?? chain[0];
  const expect = expectationOf(last, readBody);
  return chain.length === 1 || expect.redirect !== null ? expect : { ...expect, redirect: pathShape(last.url) };
}

/** What the recorded answer says about a good answer. An answer from the cache (304) stands for the full one. */
export function expectationOf(exchange: RequestExchange, readBody: (hash: string) => string | undefined): Expectation {
  const { response } = exchange;
  const view = viewOf(exchange, readBody);
  if (!response || !view) return { statuses: [200], content: null, redirect: null, title: null, rootElement: null };
  const location = headerOf(response.headers, 'location');
  const { kind } = view;
  const title = kind === 'html' ? view.title : '';
  return {
    statuses: response.status === 304 ? [200, 304] : [response.status],
    // A redirect may carry any page or none; only its target counts.
    content: response.status !== 304 && location === undefined && headerOf(response.headers, 'content-type') !== undefined ? kind : null,
    redirect: location === undefined ? null : pathShape(resolveReference(location, exchange.url)?.href ?? location),
    title: title === '' ? null : textShape(title),
    rootElement: kind === 'xml' ? (rootElement(view.body) ?? null) : null,
  };
}
