import type { Exchange, RequestExchange } from '../take/take.schema.js';

/** Requests that only read. */
const reading = ['GET', 'HEAD', 'OPTIONS'];

/** What a request asks for, whatever the numbers and keys in its path are. */
const kindOf = ({ method, url }: RequestExchange): string => `${method} ${new URL(url).pathname.replace(/[^/]*\d[^/]*/g, '#')}`;

const changing = (exchanges: readonly Exchange[]): RequestExchange[] =>
  exchanges.flatMap((exchange) =>
    exchange.kind === 'request' && !reading.includes(exchange.method) && exchange.response ? [exchange] : [],
  );

/**
 * Whether what a gesture set off was answered otherwise than in the take: a request that changes something and got another status, in a sentence; null where
 * nothing did. An application that refuses a value shows its form again, which a gesture alone does not see.
 */
export function answeredOtherwise(before: readonly Exchange[], after: readonly Exchange[]): string | null {
  const left = changing(after);
  for (const was of changing(before)) {
    const at = left.findIndex((exchange) => kindOf(exchange) === kindOf(was));
    const [is] = at < 0 ? [] : left.splice(at, 1);
    if (is && is.response?.status !== was.response?.status)
      return `${was.method} ${new URL(was.url).pathname} was answered with ${is.response?.status ?? 0} where the take had ${was.response?.status ?? 0}: the application refused a value, or was in another state.`;
  }
  return null;
}
