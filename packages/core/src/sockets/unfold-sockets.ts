import { JSONPointer } from 'json-p3';
import type { BodyShelf } from '../formats/har/har.js';
import { isRequest } from '../take/exchanges.js';
import type { Exchange, Message, MessageExchange, RequestExchange } from '../take/take.schema.js';
import { messageType } from './message-type.js';

/** When the answer of an exchange had come, ms since the start of the take; a WebSocket is answered once it is open, however long it lasts. */
export function answeredAtMs(exchange: Exchange): number {
  const { startedAtMs, durationMs } = exchange;
  if (exchange.kind === 'message' || exchange.response?.status !== 101) return startedAtMs + durationMs;
  const { timings } = exchange;
  const { blocked, dns, connect, tls, send, wait } = timings;
  const openedMs = [blocked, dns, connect, tls, send, wait].reduce((sum, phaseMs) => sum + Math.max(0, phaseMs), 0);
  const firstMs = exchange.messages?.[0]?.atMs ?? Infinity;
  return Math.min(startedAtMs + (openedMs > 0 ? openedMs : durationMs), startedAtMs + durationMs, Math.max(startedAtMs, firstMs));
}

/** Messages without an answer that one may still come for; a heartbeat never gets one. */
const mostUnanswered = 100;

/** Names whose value ties an answer to what was asked. */
const tyingName = /(^|[_-])(id|ref|seq|nonce|req|request|correlation|token)$|[a-z](Id|Ref|Seq|Nonce)$/;

/** The scalars near the top of a JSON message, by their place. */
function scalars(text: string): Map<string, string> {
  const found = new Map<string, string>();
  const walk = (value: unknown, place: string, depth: number) => {
    if (typeof value === 'string' || typeof value === 'number') found.set(place, JSON.stringify(value));
    else if (value !== null && typeof value === 'object' && depth < 2)
      for (const [key, inner] of Object.entries(value).slice(0, 40))
        walk(inner, `${place}/${key.replace(/~/g, '~0').replace(/\//g, '~1')}`, depth + 1);
  };
  if (messageType('text', text) === 'application/json') walk(JSON.parse(text), '', 0);
  return found;
}

/** What stands at a place of a JSON text, as JSON; undefined where there is nothing, or the text is no JSON. */
export function jsonAt(text: string, pointer: string): string | undefined {
  try {
    const value = new JSONPointer(pointer).resolve(JSON.parse(text) as never, undefined) as unknown;
    return value === undefined ? undefined : JSON.stringify(value);
  } catch {
    return undefined;
  }
}

interface Sent {
  message: Message;
  places: Map<string, string>;
  answer: Message | null;
  same: string[];
}

/** A conversation as pairs of what was sent and what answers it, and messages that nobody had asked for. */
function pairsOf(messages: readonly Message[]): { sent: Sent[]; unasked: Message[] } {
  const sent: Sent[] = [];
  const unasked: Message[] = [];
  const valuesAt = new Map<string, string[]>();
  for (const message of messages)
    if (message.from === 'client' && message.kind === 'text')
      for (const [place, value] of scalars(message.text)) {
        const known = valuesAt.get(place);
        if (known) known.push(value);
        else valuesAt.set(place, [value]);
      }
  const alwaysAnother = new Set(
    [...valuesAt].flatMap(([place, all]) => (all.length > 1 && new Set(all).size === all.length ? [place] : [])),
  );
  /** A place ties where its name says so, or where each message sent holds another value there. */
  const ties = (place: string): boolean => tyingName.test(place.split('/').at(-1) ?? '') || alwaysAnother.has(place);
  for (const message of messages) {
    if (message.kind !== 'text' && message.kind !== 'binary') continue;
    if (message.from === 'client') {
      sent.push({ message, places: message.kind === 'text' ? scalars(message.text) : new Map<string, string>(), answer: null, same: [] });
      continue;
    }
    const places = message.kind === 'text' ? scalars(message.text) : new Map<string, string>();
    const tied = sent
      .filter((sentMessage) => sentMessage.answer === null)
      .slice(-mostUnanswered)
      .map((sentMessage) => ({
        sentMessage,
        same: [...places].filter(([place, value]) => sentMessage.places.get(place) === value && ties(place)).map(([at]) => at),
      }))
      .findLast(({ same }) => same.length > 0);
    const last = sent.at(-1);
    if (tied) Object.assign(tied.sentMessage, { answer: message, same: tied.same });
    else if (last?.answer === null && last.message.kind === message.kind && ![...last.places.keys()].some(mustTie)) last.answer = message;
    else unasked.push(message);
  }
  return { sent, unasked };
}

/** A message that numbers itself is answered by one that repeats the number. */
const mustTie = (place: string): boolean => /^\/(id|seq|requestId|request_id|correlationId)$/.test(place);

/** A take whose messages over WebSockets are exchanges of their own. */
export interface Unfolded {
  /** In order of their starts, numbered anew. */
  exchanges: Exchange[];
  /** The new number of each exchange that was there before. */
  numbers: Map<number, number>;
}

/**
 * Makes each message that a client sent over a WebSocket an exchange of its own, with the message that answers it, and each that the
 * server sent unasked. What was sent and what came is put on the shelf. A take without WebSockets stays as it is.
 */
export function unfoldSockets(exchanges: readonly Exchange[], shelf: BodyShelf): Unfolded {
  const all: { exchange: Exchange; before: number | null }[] = exchanges
    .filter(isRequest)
    .map((exchange) => ({ exchange, before: exchange.n }));
  for (const opening of exchanges.filter(isRequest)) {
    if (opening.response?.status !== 101 || !opening.messages) continue;
    for (const exchange of messagesOf(opening, shelf)) all.push({ exchange, before: null });
  }
  if (all.every(({ before }) => before !== null))
    return { exchanges: [...exchanges], numbers: new Map(exchanges.map((exchange) => [exchange.n, exchange.n])) };
  all.sort((left, right) => left.exchange.startedAtMs - right.exchange.startedAtMs || left.exchange.n - right.exchange.n);
  const numbers = new Map(all.flatMap(({ before }, index) => (before === null ? [] : [[before, index + 1] as const])));
  return {
    numbers,
    exchanges: all.map(({ exchange }, index) => ({
      ...exchange,
      n: index + 1,
      ...(exchange.kind === 'message' && { openedBy: numbers.get(exchange.openedBy) ?? exchange.openedBy }),
    })),
  };
}

function messagesOf(opening: RequestExchange, shelf: BodyShelf): MessageExchange[] {
  const { sent, unasked } = pairsOf(opening.messages ?? []);
  const url = opening.url.replace(/^ws(s?):/i, 'http$1:').replace(/[?#].*$/, '');
  const formatOf = ({ kind }: Message) => (kind === 'binary' ? 'binary' : 'text');
  const bodyOf = (message: Message) => {
    const { kind, text, base64 } = message;
    const bytes = kind === 'binary' ? Uint8Array.from(atob(base64), (sign) => sign.charCodeAt(0)) : new TextEncoder().encode(text);
    return shelf.put(bytes, messageType(formatOf(message), text));
  };
  const exchangeOf = (action: MessageExchange['action'], at: Message, answer: Message | null, same: string[] = []): MessageExchange => ({
    kind: 'message',
    n: opening.n,
    startedAtMs: at.atMs,
    durationMs: answer ? Math.max(0, answer.atMs - at.atMs) : 0,
    url,
    openedBy: opening.n,
    action,
    format: formatOf(at),
    same,
    sent: action === 'send' ? bodyOf(at) : null,
    answer: answer && bodyOf(answer),
  });
  const close = opening.messages?.find((message) => message.kind === 'close');
  return [
    ...sent.map(({ message, answer, same }) => exchangeOf('send', message, answer, same)),
    ...unasked.map((message) => exchangeOf('await', message, message)),
    ...(close?.from === 'client' ? [exchangeOf('close', close, null)] : []),
  ];
}
