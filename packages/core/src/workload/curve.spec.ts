import * as fc from 'fast-check';
import { mean, sampleSkewness, variance } from 'simple-statistics';
import seedrandom from 'seedrandom';
import {
  arrivalTimes,
  curveHandles,
  curveLevels,
  curveOfKind,
  curveSeconds,
  drawnThink,
  expectedArrivals,
  holdPeriod,
  LoadCurveSchema,
  moveHandle,
  nextDueMs,
  startsPlanned,
  StopWatch,
  Tally,
  userSpans,
  usersAt,
  usersByShares,
  withPoint,
  type Crew,
  type LoadCurve,
  type StopRule,
  type Workload,
} from '../index.js';

const crewOf = (users: number) => ({ id: 'c', users }) as Workload['crews'][number];
const of = (curve: LoadCurve, users = 10) => ({ curve, crews: [crewOf(users)] }) as Workload;
const stairs: LoadCurve = { kind: 'staircase', first: 2, add: 3, everySeconds: 10, rampDownSeconds: 0, atEnd: 'step' };
const drawn: LoadCurve = {
  kind: 'drawn',
  points: [
    { seconds: 0, percent: 0 },
    { seconds: 20, percent: 100 },
    { seconds: 40, percent: 100 },
    { seconds: 50, percent: 20 },
    { seconds: 70, percent: 60 },
  ],
  atEnd: 'iteration',
};

it('iterations are begun on schedule: counted by hand for four users of a ramp that begin every 7 s', () => {
  const crew = { users: 4, pacing: { kind: 'start-to-start', seconds: 7 } } as unknown as Crew;
  const curve = { kind: 'ramp', rampUpSeconds: 8, holdSeconds: 20, rampDownSeconds: 0, together: 1, atEnd: 'iteration' } as const;
  // Users begin at 0, 2, 4 and 6 s: within 8 to 28 s at 14, 21; 9, 16, 23; 11, 18, 25; 13, 20, 27 s.
  expect(startsPlanned({ curve, crews: [crew] }, { startSeconds: 8, endSeconds: 28 })).toBe(11);
  // From the very moment at which one begins, up to the moment at which another does.
  expect(startsPlanned({ curve, crews: [crew] }, { startSeconds: 9, endSeconds: 11 })).toBe(1);
});

describe('load curves', () => {
  it('start a ramp in groups, and everybody at once where that is wanted', () => {
    const ramp: LoadCurve = { kind: 'ramp', together: 5, rampUpSeconds: 40, holdSeconds: 60, rampDownSeconds: 0, atEnd: 'iteration' };
    expect([0, 9, 10, 29, 30].map((second) => usersAt(of(ramp, 20), second))).toEqual([5, 5, 10, 15, 20]);
    const atOnce: LoadCurve = { kind: 'at-once', holdSeconds: 30, rampDownSeconds: 10, atEnd: 'now' };
    expect([0, 29, 35, 40].map((second) => usersAt(of(atOnce), second))).toEqual([10, 10, 4, 0]);
  });

  it('climb a staircase, hold each step, and judge the last one', () => {
    expect([0, 9, 10, 20, 30, 39, 40].map((second) => usersAt(of(stairs), second))).toEqual([2, 2, 5, 8, 10, 10, 0]);
    expect(curveSeconds(of(stairs))).toBe(40);
    expect(holdPeriod(of(stairs))).toEqual({ fromSecond: 30, toSecond: 40 });
  });

  it('follow a drawn line, so that a user may come and go twice, and judge its longest plateau', () => {
    expect([1, 10, 30, 45, 49.9, 60, 69].map((second) => usersAt(of(drawn), second))).toEqual([1, 5, 10, 6, 2, 4, 6]);
    expect(userSpans(drawn, 4, 10)).toEqual([
      { startSeconds: 9, endSeconds: 46.875 },
      { startSeconds: 62.5, endSeconds: 70 },
    ]);
    expect(holdPeriod(of(drawn))).toEqual({ fromSecond: 20, toSecond: 40 });
  });

  it('move by their corners: a ramp takes along what stands after it, a drawn point stays between its neighbours', () => {
    const ramp = curveOfKind('ramp', { kind: 'at-once', holdSeconds: 60, rampDownSeconds: 5, atEnd: 'now' });
    expect(ramp).toMatchObject({ kind: 'ramp', rampUpSeconds: 10, holdSeconds: 60, rampDownSeconds: 5, atEnd: 'now' });
    expect(curveHandles(ramp).map((handle) => handle.seconds)).toEqual([10, 70, 75]);
    expect(moveHandle(ramp, 0, { seconds: 30.4, percent: 0 })).toMatchObject({ rampUpSeconds: 30, holdSeconds: 60 });
    expect(moveHandle(ramp, 1, { seconds: 3, percent: 0 })).toMatchObject({ holdSeconds: 1 });
    expect(moveHandle(ramp, 2, { seconds: 90, percent: 0 })).toMatchObject({ holdSeconds: 60, rampDownSeconds: 20 });
    expect(curveHandles(moveHandle(drawn, 1, { seconds: 55, percent: 130.2 }))[1]).toMatchObject({ seconds: 40, percent: 100 });
    expect(curveHandles(withPoint(drawn, { seconds: 45, percent: 50 })).map((handle) => handle.seconds)).toEqual([0, 20, 40, 45, 50, 70]);
    expect(LoadCurveSchema.safeParse({ ...drawn, points: [...drawn.points].reverse() }).error?.message).toMatch(/order of their time/);
  });

  it('are shown at the levels that they ask for', () => {
    const two = { curve: stairs, crews: [crewOf(5), { ...crewOf(2), id: 'd' }] } as Workload;
    const levels = curveLevels(two);
    expect(levels.unit).toBe('users');
    for (const second of [0, 5, 10, 15]) {
      const at = levels.seconds.findLastIndex((levelSecond) => levelSecond <= second);
      expect(levels.crews.map((crew) => crew.levels[at]).reduce((sum, level) => (sum ?? 0) + (level ?? 0), 0)).toBe(usersAt(two, second));
    }
    const open = curveLevels(of(curveOfKind('arrivals', stairs), 1));
    expect([open.unit, open.crews[0]?.levels[100]]).toEqual(['an hour', 0]);
  });

  it('have as many users at each moment as the line says, to the nearest one', () => {
    const points = fc.array(fc.record({ gap: fc.integer({ min: 1, max: 50 }), percent: fc.integer({ min: 0, max: 100 }) }), {
      minLength: 2,
      maxLength: 8,
    });
    fc.assert(
      fc.property(points, fc.integer({ min: 1, max: 40 }), fc.double({ min: 0.001, max: 0.999, noNaN: true }), (gaps, users, share) => {
        let seconds = 0;
        const line = gaps.map(({ gap, percent }, at) => ({ seconds: at === 0 ? 0 : (seconds += gap), percent }));
        const moment = share * seconds;
        const after = line.findIndex((point) => point.seconds >= moment);
        const [from, to] = [line[after - 1], line[after]];
        if (!from || !to) return;
        const level = from.percent + ((moment - from.seconds) / (to.seconds - from.seconds)) * (to.percent - from.percent);
        const active = usersAt(of({ kind: 'drawn', points: line, atEnd: 'step' }, users), moment);
        expect(Math.abs(active - (level * users) / 100)).toBeLessThanOrEqual(0.5 + 1e-6);
      }),
      { seed: 6, numRuns: 500 },
    );
  });

  it('takes a curve without a kind for the ramp that all curves once were', () => {
    expect(LoadCurveSchema.parse({ rampUpSeconds: 1, holdSeconds: 2, rampDownSeconds: 3, atEnd: 'step' })).toMatchObject({
      kind: 'ramp',
      together: 1,
      holdSeconds: 2,
    });
  });
});

describe('arrivals', () => {
  const curve = (process: 'constant' | 'poisson', rampUpSeconds = 0): Extract<LoadCurve, { kind: 'arrivals' }> => ({
    kind: 'arrivals',
    process,
    rampUpSeconds,
    holdSeconds: 3600,
    rampDownSeconds: rampUpSeconds,
    atEnd: 'iteration',
  });

  it('come at even distances where they are constant, and thinner within ramps', () => {
    expect(arrivalTimes(curve('constant'), { ratePerHour: 4 }, () => 0)).toEqual([0, 900, 1800, 2700]);
    const times = arrivalTimes(curve('constant', 600), { ratePerHour: 3600 }, () => 0);
    // Two triangles of 600 s at half the rate, and an hour at one a second.
    expect(times).toHaveLength(4200);
    expect(expectedArrivals(curve('constant', 600), { ratePerHour: 3600 })).toBe(4200);
    // The ramp is s²/1200 iterations long at s seconds.
    expect(times[3]).toBeCloseTo(60, 6);
    expect(times[300]).toBeCloseTo(600, 6);
    expect(times.at(-1)).toBeLessThan(4800);
  });

  it('come with exponential distances where they are Poisson: mean, variance and skewness of that distribution are 1/λ, 1/λ² and 2', () => {
    const times = arrivalTimes(curve('poisson'), { ratePerHour: 36_000 }, seedrandom('arrivals'));
    const gaps = times.slice(1).map((time, at) => time - (times[at] ?? 0));
    expect(mean(gaps)).toBeCloseTo(0.1, 2);
    expect(variance(gaps)).toBeCloseTo(0.01, 3);
    expect(Math.abs(sampleSkewness(gaps) - 2)).toBeLessThan(0.1);
    expect(Math.abs(times.length / 36_000 - 1)).toBeLessThan(0.02);
  });
});

describe('pauses and pacing', () => {
  const think = { kind: 'scaled', factor: 2, ms: 0, capMs: 5000 } as const;
  const many = (more: Parameters<typeof drawnThink>[1]) => {
    const random = seedrandom('think');
    return Array.from({ length: 20_000 }, () => drawnThink(1000, more, random));
  };

  it('are spread evenly by per cent, or log-normal around their median, and never above the cap', () => {
    const even = many({ ...think, spread: { kind: 'uniform', percent: 50 } });
    expect([Math.min(...even) >= 1000, Math.max(...even) <= 3000]).toEqual([true, true]);
    expect(mean(even) / 2000).toBeCloseTo(1, 2);
    // Mean of a log-normal distribution: median × e^(σ²/2) (NIST/SEMATECH e-Handbook of Statistical Methods, 1.3.6.6.9).
    expect(mean(many({ ...think, capMs: 3_600_000, spread: { kind: 'log-normal', sigma: 0.5 } })) / (2000 * Math.exp(0.125))).toBeCloseTo(
      1,
      1,
    );
    expect(Math.max(...many({ ...think, spread: { kind: 'log-normal', sigma: 1 } }))).toBe(5000);
  });

  it('is counted from the start or from the end of an iteration, and a late user does not catch up', () => {
    const half = () => 0.5;
    expect(nextDueMs({ kind: 'start-to-start', seconds: 10 }, 0, 4000, half)).toBe(10_000);
    expect(nextDueMs({ kind: 'start-to-start', seconds: 10 }, 0, 14_000, half)).toBe(14_000);
    expect(nextDueMs({ kind: 'end-to-start', seconds: 10 }, 0, 4000, half)).toBe(14_000);
    expect(nextDueMs({ kind: 'start-to-start', seconds: 10, spreadPercent: 20 }, 0, 4000, () => 1)).toBe(12_000);
    expect(nextDueMs({ kind: 'none', seconds: 10 }, 0, 4000, half)).toBe(4000);
  });

  it('deals users out by shares of largest remainder (47, 16, 15.9, 12, 6 and 3.1 % of ten are 5, 2, 1, 1, 1 and 0: a worked example of elections, from memory), one at least', () => {
    expect(usersByShares(10, [47, 16, 15.9, 12, 6, 3.1])).toEqual([5, 2, 1, 1, 1, 1]);
    expect(usersByShares(50, [60, 30, 10])).toEqual([30, 15, 5]);
  });
});

describe('stop rules', () => {
  const rule: StopRule = { id: 'r', measure: 'error-rate', transaction: null, limit: 10, forSeconds: 2 };
  const second = (good: number, bad: number) => {
    const tally = new Tally();
    for (let n = 0; n < good + bad; n++) tally.add(100, n < good);
    return [{ items: [{ crew: 'c', transaction: 'Book', step: null, tally: tally.toData() }] }];
  };

  it('fire after so many seconds in a row, and say why', () => {
    const watch = new StopWatch([rule]);
    expect([second(8, 2), second(10, 0), second(8, 2)].map((frame) => watch.second(frame))).toEqual([null, null, null]);
    expect(watch.second([])).toBeNull();
    expect(watch.second(second(7, 3))).toBe(
      'A stop rule ended the run: the error rate of all transactions was above 10 % for 2 s, 30.0 % at last.',
    );
  });

  it('look at one transaction where one is named', () => {
    const watch = new StopWatch([{ ...rule, transaction: 'Find', forSeconds: 1 }]);
    expect(watch.second(second(0, 5))).toBeNull();
    const stopWatch = new StopWatch([{ ...rule, measure: 'mean', transaction: 'Book', limit: 99, forSeconds: 1 }]);
    expect(stopWatch.second(second(1, 0))).toContain('the mean of “Book” was above 99 ms for 1 s, 100 ms at last');
  });
});
