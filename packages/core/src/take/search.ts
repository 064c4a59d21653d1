import * as z from 'zod';
import type { BodyRef, LoadedTake } from './take.schema.js';
import { answerBody, answerHeaders, sentBody, sentHeaders } from './exchanges.js';

/** A place of a take where a text stands. */
export const SearchHitSchema = z.object({
  exchange: z.number().int(),
  where: z.enum(['address', 'request headers', 'request body', 'response headers', 'response body', 'message']),
  /** How often it stands there. */
  count: z.number().int(),
  /** The first time it stands there, with a little of what is around it. */
  before: z.string(),
  found: z.string(),
  after: z.string(),
});
export type SearchHit = z.infer<typeof SearchHitSchema>;

const around = 40;

/** Finds a text in the whole of a take, bodies too, without regard to case; at most `most` places are given. */
export function searchTake(loaded: LoadedTake, text: string, most = 500): { hits: SearchHit[]; more: boolean } {
  const hits: SearchHit[] = [];
  const wanted = text.toLowerCase();
  if (wanted === '') return { hits, more: false };
  const look = (exchange: number, where: SearchHit['where'], content: string | undefined) => {
    if (content === undefined) return;
    const lower = content.toLowerCase();
    const first = lower.indexOf(wanted);
    if (first < 0) return;
    let count = 0;
    for (let at = first; at >= 0; at = lower.indexOf(wanted, at + wanted.length)) count++;
    const end = first + wanted.length;
    hits.push({
      exchange,
      where,
      count,
      before: content.slice(Math.max(0, first - around), first),
      found: content.slice(first, end),
      after: content.slice(end, end + around),
    });
  };
  const lines = (headers: readonly (readonly [string, string])[]) => headers.map((header) => header.join(': ')).join('\n');
  const textOf = (body: BodyRef | null) => (body ? loaded.readBody(body.hash) : undefined);
  for (const exchange of loaded.exchanges) {
    if (hits.length >= most) return { hits: hits.slice(0, most), more: true };
    look(exchange.n, 'address', exchange.url);
    look(exchange.n, 'request headers', lines(sentHeaders(exchange)));
    look(exchange.n, 'request body', textOf(sentBody(exchange)));
    look(exchange.n, 'response headers', lines(answerHeaders(exchange)));
    look(exchange.n, 'response body', textOf(answerBody(exchange)));
    if (exchange.kind === 'request') look(exchange.n, 'message', exchange.messages?.map((message) => message.text).join('\n'));
  }
  return { hits, more: false };
}
