import type { Exchange } from '../take/take.schema.js';
import { answeredAtMs } from './unfold-sockets.js';

/** Exchanges of two takes as one, and which numbers they have there. */
export interface JoinedTake {
  exchanges: Exchange[];
  /** Numbers of the exchanges of the first take. */
  base: Map<number, number>;
  /** Numbers of the piece that was put in. */
  piece: Map<number, number>;
}

/** Time between the piece and what is around it, in ms. */
const gapMs = 500;

/**
 * Puts a piece of another take behind an exchange of a take (before all where `after` is null). Times of what follows are moved by what the
 * piece lasts, so that an answer still comes before the requests that use it.
 */
export function joinTakes(base: readonly Exchange[], piece: readonly Exchange[], after: number | null): JoinedTake {
  const at = after === null ? 0 : base.findIndex((exchange) => exchange.n === after) + 1;
  const before = base.slice(0, at);
  const behind = base.slice(at);
  const endMs = Math.max(0, ...before.map(answeredAtMs));
  const [first] = piece;
  const pieceStartMs = Math.min(...piece.map((exchange) => exchange.startedAtMs));
  const lastsMs = first ? Math.max(...piece.map(answeredAtMs)) - pieceStartMs + gapMs : 0;
  const startMs = before.length === 0 ? 0 : endMs + gapMs;
  const shiftMs = first ? Math.max(0, startMs + lastsMs - (behind[0]?.startedAtMs ?? Infinity)) : 0;
  const moved = (list: readonly Exchange[], byMs: number): Exchange[] =>
    list.map((exchange) => ({
      ...exchange,
      startedAtMs: exchange.startedAtMs + byMs,
      ...(exchange.kind === 'request' &&
        exchange.messages && { messages: exchange.messages.map((message) => ({ ...message, atMs: message.atMs + byMs })) }),
    }));
  const all = [
    ...before.map((exchange) => ({ from: 'base' as const, was: exchange.n, exchange })),
    ...moved(piece, startMs - pieceStartMs).map((exchange) => ({ from: 'piece' as const, was: exchange.n, exchange })),
    ...moved(behind, shiftMs).map((exchange) => ({ from: 'base' as const, was: exchange.n, exchange })),
  ];
  const numbers = { base: new Map<number, number>(), piece: new Map<number, number>() };
  const exchanges = all.map(({ from, was, exchange }, index) => {
    numbers[from].set(was, index + 1);
    return { from, exchange: { ...exchange, n: index + 1 } };
  });
  return {
    // Messages follow the handshake that they belong to.
    exchanges: exchanges.map(({ from, exchange }) =>
      exchange.kind === 'message' ? { ...exchange, openedBy: numbers[from].get(exchange.openedBy) ?? exchange.openedBy } : exchange,
    ),
    ...numbers,
  };
}
