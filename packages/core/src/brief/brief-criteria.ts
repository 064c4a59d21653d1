import type { Criterion } from '../workload/workload.schema.js';
import type { Brief } from './brief.schema.js';

/**
 * The criteria that a brief sets for a run that plays these transactions: the limits of the key transactions among them, the default limit for each of the
 * others, and the error rate of all.
 */
export function briefCriteria(brief: Brief, played: readonly string[]): Criterion[] {
  const criteria: Criterion[] = [];
  const keys = new Set(brief.transactions.map(({ transaction }) => transaction));
  for (const { id, transaction, meanMs, percentile } of brief.transactions) {
    if (!played.includes(transaction)) continue;
    if (meanMs !== null) criteria.push({ id: `brief-${id}-mean`, measure: 'mean', transaction, limit: meanMs });
    if (percentile)
      criteria.push({ id: `brief-${id}-${percentile.measure}`, measure: percentile.measure, transaction, limit: percentile.limitMs });
  }
  const { defaultLimit } = brief;
  if (defaultLimit)
    for (const transaction of new Set(played))
      if (!keys.has(transaction))
        criteria.push({ id: `brief-default-${transaction}`, measure: defaultLimit.measure, transaction, limit: defaultLimit.limitMs });
  if (brief.errorPercent !== null)
    criteria.push({ id: 'brief-errors', measure: 'error-rate', transaction: null, limit: brief.errorPercent });
  return criteria;
}
