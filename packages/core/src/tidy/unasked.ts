import { answerBody, sentBody, sentHeaders } from '../take/exchanges.js';
import type { BodyRef, Exchange, LoadedTake, MessageExchange } from '../take/take.schema.js';

/** Only the beginning of a long body is looked through. */
const mostSigns = 200_000;

const isUnasked = (exchange: Exchange): exchange is MessageExchange => exchange.kind === 'message' && exchange.action === 'await';

/** Hashes of the bodies that tell whether something of an unasked message is sent later; none where there is no such message. */
export function bodiesForUnasked(exchanges: readonly Exchange[]): string[] {
  const first = exchanges.findIndex(isUnasked);
  if (first < 0) return [];
  return exchanges
    .slice(first)
    .flatMap((exchange) => [sentBody(exchange)?.hash, isUnasked(exchange) ? answerBody(exchange)?.hash : undefined])
    .filter((hash) => hash !== undefined);
}

/**
 * Messages that a server sent over a WebSocket without being asked, and of which nothing is sent later. Others may have caused them, so a
 * script that waited for them would often wait in vain.
 */
export function unaskedInVain({ exchanges, readBody }: Pick<LoadedTake, 'exchanges' | 'readBody'>): MessageExchange[] {
  const textOf = (body: BodyRef | null): string => (body ? (readBody(body.hash) ?? '') : '').slice(0, mostSigns);
  return exchanges.filter((exchange, at): exchange is MessageExchange => {
    if (!isUnasked(exchange)) return false;
    // Words that may be ids: those with a digit, and long ones.
    const words = new Set(
      textOf(exchange.answer)
        .match(/[\w-]{3,}/g)
        ?.filter((word) => /\d/.test(word) || word.length >= 12),
    );
    const sent = (later: Exchange): string =>
      [later.url, ...sentHeaders(later).map(([, value]) => value), textOf(sentBody(later))].join('\n');
    return words.size === 0 || !exchanges.slice(at + 1).some((later) => [...words].some((word) => sent(later).includes(word)));
  });
}
