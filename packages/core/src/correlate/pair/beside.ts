import * as z from 'zod';
import type { Exchange, LoadedTake } from '../../take/take.schema.js';
import type { SentValue } from '../../actions/sent-values.js';
import { pairTakes } from './align.js';
import { sentByExchange } from '../find/sent-by-exchange.js';

/** One row of two takes laid beside each other. */
export const BesideRowSchema = z.object({
  /** Numbers of the exchanges; null where a take has none here. */
  first: z.number().int().nullable(),
  second: z.number().int().nullable(),
  /** `moved` stands in both takes, at another place of the flow. */
  state: z.enum(['same', 'differs', 'missing', 'extra', 'moved']),
  /** Values that are sent at the same place and differ. */
  values: z.array(z.object({ place: z.string(), name: z.string(), first: z.string(), second: z.string() })),
  /** How the answers differ, in a sentence; null where their status is the same. */
  answer: z.string().nullable(),
});
export type BesideRow = z.infer<typeof BesideRowSchema>;

/** Lays two takes of a flow beside each other: what is missing, extra and moved, and which values differ. */
export function layBeside(first: LoadedTake, second: LoadedTake): BesideRow[] {
  const { inOrder: pairs, moved } = pairTakes(first, second);
  const sent = [sentByExchange(first), sentByExchange(second)] as const;
  const byNumber = new Map(second.exchanges.map((exchange) => [exchange.n, exchange]));
  const inBoth = new Set([...pairs.values(), ...moved.values()]);
  const compared = (exchange: Exchange, otherNumber: number, state: 'moved' | null): BesideRow => {
    const otherExchange = byNumber.get(otherNumber);
    const values = differing(sent[0].get(exchange.n), sent[1].get(otherNumber));
    const answer = otherExchange ? answersDiffer(exchange, otherExchange) : null;
    return {
      first: exchange.n,
      second: otherNumber,
      state: state ?? (values.length > 0 || answer !== null ? 'differs' : 'same'),
      values,
      answer,
    };
  };
  const rows: BesideRow[] = [];
  const extra = second.exchanges.filter((exchange) => !inBoth.has(exchange.n));
  const showExtra = (before: number) => {
    while (extra[0] && extra[0].n < before)
      rows.push({ first: null, second: extra.shift()?.n ?? null, state: 'extra', values: [], answer: null });
  };
  for (const exchange of first.exchanges) {
    const partner = pairs.get(exchange.n);
    if (partner !== undefined) {
      showExtra(partner);
      rows.push(compared(exchange, partner, null));
      continue;
    }
    const elsewhere = moved.get(exchange.n);
    rows.push(
      elsewhere === undefined
        ? { first: exchange.n, second: null, state: 'missing', values: [], answer: null }
        : compared(exchange, elsewhere, 'moved'),
    );
  }
  showExtra(Infinity);
  return rows;
}

function differing(
  first: ReadonlyMap<string, SentValue> | undefined,
  second: ReadonlyMap<string, SentValue> | undefined,
): BesideRow['values'] {
  const found: BesideRow['values'] = [];
  for (const [place, { name, value }] of first ?? []) {
    const sentValue = second?.get(place);
    if (sentValue && sentValue.value !== value) found.push({ place, name, first: value, second: sentValue.value });
  }
  return found;
}

function answersDiffer(first: Exchange, second: Exchange): string | null {
  if (first.kind !== 'request' || second.kind !== 'request') return null;
  const [left, right] = [first.response?.status ?? 0, second.response?.status ?? 0];
  if (left === right) return null;
  const words = (status: number) => (status === 0 ? 'nothing' : String(status));
  return `It answered ${words(left)} in the first take and ${words(right)} in the second.`;
}
