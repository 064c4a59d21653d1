import fc from 'fast-check';
import { mean, quantileRankSorted, sampleStandardDeviation } from 'simple-statistics';
import { Tally } from '../index.js';

const samples = fc.array(fc.double({ min: 0.01, max: 50_000, noNaN: true }), { minLength: 2, maxLength: 300 });
const tallyOf = (values: number[]) => {
  const tally = new Tally();
  for (const value of values) tally.add(value, true, 10, 5);
  return tally;
};

describe('figures of samples', () => {
  it('agree with a general statistics library (simple-statistics): mean and deviation with n − 1', () => {
    fc.assert(
      fc.property(samples, (values) => {
        const summary = tallyOf(values).summary(10);
        expect(summary.meanMs).toBeCloseTo(mean(values), 6);
        // Sums of squares lose n · ε · mean² to rounding (ε = 2^-52), so of nearly equal samples the deviation may be off by the root of it.
        const lost = Math.sqrt(values.length * Number.EPSILON) * mean(values);
        expect(Math.abs(summary.deviationMs - sampleStandardDeviation(values))).toBeLessThanOrEqual(Math.max(0.0005, lost));
        expect(summary.throughput).toBeCloseTo(values.length / 10, 9);
      }),
    );
  });

  it('give percentiles by nearest rank, to three significant digits', () => {
    fc.assert(
      fc.property(samples, (values) => {
        const sorted = [...values].sort((left, right) => left - right);
        const tally = tallyOf(values);
        for (const percent of [50, 90, 95, 99]) {
          const exact = sorted[Math.ceil((percent / 100) * sorted.length) - 1] ?? 0;
          expect(Math.abs(tally.percentile(percent) - exact)).toBeLessThanOrEqual(exact * 0.002 + 0.002);
          expect(quantileRankSorted(sorted, exact)).toBeGreaterThanOrEqual(percent / 100 - 1 / sorted.length - 1e-9);
        }
      }),
    );
  });

  it('are the same however the samples were split, and after a trip as plain data', () => {
    fc.assert(
      fc.property(samples, fc.integer({ min: 1, max: 7 }), (values, parts) => {
        const whole = tallyOf(values);
        const merged = new Tally();
        for (let part = 0; part < parts; part++)
          merged.merge(
            Tally.from(
              JSON.parse(JSON.stringify(tallyOf(values.filter((_, index) => index % parts === part)).toData())) as ReturnType<
                Tally['toData']
              >,
            ),
          );
        const [wholeSummary, mergedSummary] = [whole.summary(1), merged.summary(1)];
        expect(mergedSummary).toEqual({
          ...wholeSummary,
          meanMs: expect.closeTo(wholeSummary.meanMs, 6) as number,
          deviationMs: expect.closeTo(wholeSummary.deviationMs, 3) as number,
        });
      }),
    );
  });

  it('refuse what is no response time', () => {
    expect(() => new Tally().add(Number.NaN, true)).toThrow(/must be a number of ms/);
    expect(() => new Tally().add(-1, true)).toThrow(RangeError);
  });
});
