import { bodyKind, headerOf, isStaticFile, mediaType, pathAndQuery, pathShape, textShape } from '../take/messages.js';
import type { Exchange, LoadedTake } from '../take/take.schema.js';
import { rootElement } from './html.js';
import { viewOf } from './response-view.js';
import type { Expectation, RequestStep, Script, Step, Transaction } from './script.schema.js';

/** What stays when a take becomes a script. */
export interface FromTakeOptions {
  scriptId: string;
  name: string;
  /** Origins whose requests stay; null keeps all. */
  origins: string[] | null;
  keepStaticFiles: boolean;
  /** Pauses above this many ms are capped to it. */
  longestPauseMs: number;
}

/** Headers that the client makes anew for each request, so they are not kept. */
const droppedHeaders = new Set(
  'host connection content-length cookie proxy-connection keep-alive transfer-encoding if-none-match if-modified-since upgrade te'.split(
    ' ',
  ),
);

const shortestPauseMs = 100;

/** Makes a script from a take: transactions from marks, steps from exchanges, pauses from the gaps between them. */
export function scriptFromTake(loaded: LoadedTake, options: FromTakeOptions): Script {
  const { take, exchanges } = loaded;
  const kept = exchanges.filter(
    (one) =>
      (options.origins === null || options.origins.includes(new URL(one.url).origin)) && (options.keepStaticFiles || !isStaticFile(one)),
  );
  const transactions: Transaction[] = [];
  let lastEndMs = kept[0]?.startedAtMs ?? 0;
  for (const exchange of kept) {
    const name = transactionAt(loaded, exchange);
    let transaction = transactions.at(-1);
    if (transaction?.name !== name) {
      transaction = { kind: 'transaction', id: `t${transactions.length + 1}`, name, steps: [] };
      transactions.push(transaction);
    }
    const gapMs = Math.min(exchange.startedAtMs - lastEndMs, options.longestPauseMs);
    if (gapMs >= shortestPauseMs) transaction.steps.push({ kind: 'pause', id: `p${exchange.n}`, ms: Math.round(gapMs) });
    transaction.steps.push(stepFrom(exchange, loaded));
    lastEndMs = Math.max(lastEndMs, exchange.startedAtMs + exchange.durationMs);
  }
  addComments(loaded, transactions, kept);
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

function addComments({ take }: LoadedTake, transactions: Transaction[], kept: Exchange[]): void {
  take.marks.forEach((mark, index) => {
    if (mark.kind !== 'comment') return;
    const comment: Step = { kind: 'comment', id: `c${index + 1}`, text: mark.text };
    const next = kept.find((one) => one.startedAtMs >= mark.atMs);
    for (const transaction of transactions) {
      const at = transaction.steps.findIndex((step) => step.kind === 'request' && step.exchange === next?.n);
      if (at >= 0) {
        transaction.steps.splice(at, 0, comment);
        return;
      }
    }
    transactions.at(-1)?.steps.push(comment);
  });
}

function stepFrom(exchange: Exchange, { readBody }: LoadedTake): RequestStep {
  const body = exchange.requestBody;
  const text = body && bodyKind(body.mimeType) !== 'binary' && bodyKind(body.mimeType) !== 'multipart' ? readBody(body.hash) : undefined;
  return {
    kind: 'request',
    id: `s${exchange.n}`,
    name: `${exchange.method} ${pathAndQuery(exchange.url).split('?')[0] ?? '/'}`,
    exchange: exchange.n,
    method: exchange.method,
    origin: new URL(exchange.url).origin,
    url: [{ kind: 'text', text: pathAndQuery(exchange.url) }],
    headers: exchange.requestHeaders
      .filter(([name]) => !droppedHeaders.has(name.toLowerCase()) && !name.startsWith(':'))
      .map(([name, value]) => ({ name, value: [{ kind: 'text', text: value }] })),
    body: text === undefined ? null : [{ kind: 'text', text }],
    bodyFile: body && text === undefined ? body.hash : null,
    expect: expectationOf(exchange, readBody),
    followRedirects: false,
  };
}

/** What the recorded answer says about a good answer. An answer from the cache (304) stands for the full one. */
export function expectationOf(exchange: Exchange, readBody: (hash: string) => string | undefined): Expectation {
  const { response } = exchange;
  const view = viewOf(exchange, readBody);
  if (!response || !view) return { statuses: [200], content: null, redirect: null, title: null, rootElement: null };
  const location = headerOf(response.headers, 'location');
  const kind = bodyKind(mediaType(response.headers));
  const title = kind === 'html' ? view.html.title : '';
  return {
    statuses: response.status === 304 ? [200, 304] : [response.status],
    // A redirect may carry any page or none; only its target counts.
    content: response.status !== 304 && location === undefined && headerOf(response.headers, 'content-type') !== undefined ? kind : null,
    redirect: location === undefined ? null : pathShape(location),
    title: title === '' ? null : textShape(title),
    rootElement: kind === 'xml' ? (rootElement(view.body) ?? null) : null,
  };
}
