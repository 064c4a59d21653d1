import { Tally } from '../measure/tally.js';
import type { Summary } from '../measure/tally.schema.js';
import type { FrameItem } from '../measure/frame.schema.js';
import { holdOf } from '../workload/curve.js';
import type { CriterionVerdict } from './verdict.schema.js';
import type { RunEvent } from './run-event.schema.js';
import type { Criterion, Workload } from '../workload/workload.schema.js';

/** Seconds of a run that count for its verdict: the hold, without the ramps. */
export interface Period {
  fromSecond: number;
  toSecond: number;
}

/** The last second of which there is a frame. */
export const lastSecondOf = (frames: readonly { second: number }[]): number =>
  frames.reduce((last, frame) => Math.max(last, frame.second), 0);

/** The hold as it was planned. */
export function holdPeriod(workload: Workload): Period {
  const { startSeconds, endSeconds } = holdOf(workload);
  return { fromSecond: Math.ceil(startSeconds), toSecond: Math.floor(endSeconds) };
}

/** The second of a run in which a moment of its curve came, or was passed over by somebody who went on to the next phase. */
export function runSecondOf(curveSecond: number, events: readonly RunEvent[]): number {
  let skipped = 0;
  for (const { second, skippedSeconds = 0 } of events) {
    if (skippedSeconds === 0) continue;
    if (curveSecond <= second + skipped) break;
    if (curveSecond < second + skipped + skippedSeconds) return second;
    skipped += skippedSeconds;
  }
  return curveSecond - skipped;
}

/** Merges the items of frames within a period, keyed by transaction, and by transaction and step. */
export function totalsOf(frames: readonly { second: number; items: readonly FrameItem[] }[], period: Period | null): Totals {
  const totals: Totals = { all: new Tally(), transactions: new Map(), steps: new Map() };
  for (const frame of frames) {
    if (period && (frame.second < period.fromSecond || frame.second >= period.toSecond)) continue;
    for (const item of frame.items) {
      const tally = Tally.from(item.tally);
      if (item.step === null) {
        totals.all.merge(tally);
        mergeInto(totals.transactions, item.transaction, tally);
      } else mergeInto(totals.steps, `${item.transaction}\u0000${item.step}`, tally);
    }
  }
  return totals;
}

/** Tallies of all transactions together, of each transaction, and of each step (`transaction NUL step`). */
export interface Totals {
  all: Tally;
  transactions: Map<string, Tally>;
  steps: Map<string, Tally>;
}

function mergeInto(map: Map<string, Tally>, key: string, tally: Tally): void {
  const known = map.get(key);
  if (known) known.merge(tally);
  else map.set(key, tally);
}

const figure: Record<Criterion['measure'], (summary: Summary) => number> = {
  mean: (summary) => summary.meanMs,
  p50: (summary) => summary.p50Ms,
  p90: (summary) => summary.p90Ms,
  p95: (summary) => summary.p95Ms,
  p99: (summary) => summary.p99Ms,
  'error-rate': (summary) => summary.errorPercent,
};

/** Fewest samples from which a percentile can be told: 1 / (1 − p) samples lie below it (common practice, no source). */
const fewest: Record<Criterion['measure'], number> = { mean: 1, p50: 2, p90: 10, p95: 20, p99: 100, 'error-rate': 1 };

/** Judges the criteria over the hold of a run. A criterion without enough samples is not held, and says so. */
export function judgeCriteria(criteria: readonly Criterion[], totals: Totals, period: Period): CriterionVerdict[] {
  const seconds = period.toSecond - period.fromSecond;
  return criteria.map((criterion) => {
    const tally = criterion.transaction === null ? totals.all : totals.transactions.get(criterion.transaction);
    const name = criterion.transaction ?? 'All transactions';
    const unit = criterion.measure === 'error-rate' ? '%' : 'ms';
    const what = criterion.measure === 'error-rate' ? 'error rate' : criterion.measure;
    if (!tally || tally.count === 0)
      return {
        criterion,
        held: false,
        measured: null,
        marginPercent: null,
        sentence: `${name}: no sample fell into the hold, so the ${what} cannot be told. Hold longer.`,
      };
    const measured = figure[criterion.measure](tally.summary(seconds));
    const held = measured <= criterion.limit;
    const marginPercent = criterion.limit === 0 ? (held ? 0 : -100) : ((criterion.limit - measured) / criterion.limit) * 100;
    const few = tally.count < fewest[criterion.measure] ? ` Only ${tally.count} samples: too few for a ${what} to be trusted.` : '';
    const shown = (value: number) => (unit === '%' ? value.toFixed(2) : Math.round(value).toLocaleString('en'));
    return {
      criterion,
      held,
      measured,
      marginPercent,
      sentence: `${name}: ${what} ${shown(measured)} ${unit} ${held ? 'holds' : 'misses'} the limit of ${shown(criterion.limit)} ${unit} by ${Math.abs(marginPercent).toFixed(0)} %, over ${seconds} s of hold and ${tally.count.toLocaleString('en')} samples.${few}`,
    };
  });
}
