import type { Frame } from '../measure/frame.schema.js';
import { Tally } from '../measure/tally.js';
import type { StopRule } from './workload.schema.js';

/** Watches the seconds of a run and says when a stop rule has fired. Seconds without a sample change nothing. */
export class StopWatch {
  readonly #over = new Map<string, number>();

  constructor(readonly rules: readonly StopRule[]) {}

  /** Takes in a second with the frames of all generators; a sentence where a rule ends the run now, else null. */
  second(frames: readonly Pick<Frame, 'items'>[]): string | null {
    for (const rule of this.rules) {
      const tally = new Tally();
      for (const frame of frames)
        for (const item of frame.items)
          if (item.step === null && (rule.transaction === null || rule.transaction === item.transaction))
            tally.merge(Tally.from(item.tally));
      if (tally.count === 0) continue;
      const summary = tally.summary(1);
      const value = { mean: summary.meanMs, p95: summary.p95Ms, 'error-rate': summary.errorPercent }[rule.measure];
      const seconds = value > rule.limit ? (this.#over.get(rule.id) ?? 0) + 1 : 0;
      this.#over.set(rule.id, seconds);
      if (seconds >= rule.forSeconds) return sayRule(rule, value);
    }
    return null;
  }
}

function sayRule({ measure, transaction, limit, forSeconds }: StopRule, value: number): string {
  const [what, unit] = measure === 'error-rate' ? ['error rate', '%'] : [measure, 'ms'];
  const whose = transaction === null ? 'of all transactions' : `of “${transaction}”`;
  return `A stop rule ended the run: the ${what} ${whose} was above ${limit} ${unit} for ${forSeconds} s, ${value.toFixed(unit === '%' ? 1 : 0)} ${unit} at last.`;
}
