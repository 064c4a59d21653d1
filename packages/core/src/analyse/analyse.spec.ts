import {
  erlangDelay,
  groupFailures,
  judgeCriteria,
  machineRepairman,
  meanValueAnalysis,
  pacingForRate,
  Tally,
  totalsOf,
  usersForRate,
  type Failure,
} from '../index.js';

describe('queueing', () => {
  it('predicts what exact mean value analysis of a closed model gives (Reiser and Lavenberg 1980; one worker, both forms agree)', () => {
    for (const users of [1, 5, 20]) {
      const prediction = machineRepairman(users, 1, 0.2, 2);
      const otherPrediction = meanValueAnalysis(users, 0.2, 2);
      expect(prediction.throughput).toBeCloseTo(otherPrediction.throughput, 9);
      expect(prediction.responseSeconds).toBeCloseTo(otherPrediction.responseSeconds, 9);
    }
  });

  it('gives the probabilities of M/M/1//N by their closed form (Kleinrock 1975, 3.8; two machines, computed by hand)', () => {
    // N = 2, S = 1, Z = 1: p0 : p1 : p2 = 1 : 2 : 2, so X = 4/5 and E[n] = 6/5, R = 3/2.
    const prediction = machineRepairman(2, 1, 1, 1);
    expect(prediction.throughput).toBeCloseTo(0.8, 12);
    expect(prediction.responseSeconds).toBeCloseTo(1.5, 12);
  });

  it('meets the bounds of a system with many users: throughput c / S, response N S / c − Z', () => {
    const prediction = machineRepairman(400, 4, 0.1, 1);
    expect(prediction.throughput).toBeCloseTo(40, 6);
    expect(prediction.responseSeconds).toBeCloseTo(9, 6);
  });

  it('gives the delay of an open model by its closed forms: M/M/1 is S / (1 − ρ), M/M/2 is S / (1 − ρ²) (Kleinrock 1975, 3.2 and 3.4)', () => {
    for (const load of [0.1, 0.5, 0.9]) {
      expect(erlangDelay(load / 0.2, 1, 0.2).responseSeconds).toBeCloseTo(0.2 / (1 - load), 12);
      expect(erlangDelay((2 * load) / 0.2, 2, 0.2).responseSeconds).toBeCloseTo(0.2 / (1 - load ** 2), 12);
    }
    expect(erlangDelay(30, 3, 0.1)).toEqual({ throughput: 30, responseSeconds: Infinity, utilisation: 1 });
  });
});

describe('sizing (Little 1961)', () => {
  it('needs 7, 15 and 20 users for 420, 900 and 1,200 an hour at one minute each (common practice, no source)', () => {
    expect([420, 900, 1200].map((rate) => usersForRate(rate, 60))).toEqual([7, 15, 20]);
    expect(pacingForRate(420, 7)).toBe(60);
  });
});

describe('verdict', () => {
  const frames = (second: number, ms: number, good: boolean, count = 30) => {
    const tally = new Tally();
    for (let index = 0; index < count; index++) tally.add(ms, good);
    return { second, items: [{ crew: 'c', transaction: 'Book', step: null, tally: tally.toData() }] };
  };
  const period = { fromSecond: 5, toSecond: 15 };

  it('counts the hold only, and tells figure, margin, period and samples', () => {
    const totals = totalsOf([frames(1, 9000, false), frames(6, 100, true), frames(15, 9000, false)], period);
    const [verdict] = judgeCriteria([{ id: 'k', measure: 'p95', transaction: 'Book', limit: 200 }], totals, period);
    expect(verdict).toMatchObject({ held: true, marginPercent: expect.closeTo(50, 0) as number });
    expect(verdict?.sentence).toBe('Book: p95 100 ms holds the limit of 200 ms by 50 %, over 10 s of hold and 30 samples.');
  });

  it('does not hold without a sample, and warns of too few', () => {
    const none = judgeCriteria([{ id: 'k', measure: 'mean', transaction: 'Find', limit: 200 }], totalsOf([], period), period);
    expect(none[0]).toMatchObject({ held: false, measured: null });
    const few = judgeCriteria([{ id: 'k', measure: 'p99', transaction: null, limit: 200 }], totalsOf([frames(6, 1, true)], period), period);
    expect(few[0]?.sentence).toContain('Only 30 samples');
  });

  it('counts failed samples into the error rate', () => {
    const totals = totalsOf([frames(6, 1, true, 97), frames(7, 1, false, 3)], period);
    const [verdict] = judgeCriteria([{ id: 'k', measure: 'error-rate', transaction: null, limit: 1 }], totals, period);
    expect(verdict).toMatchObject({ held: false, measured: 3 });
  });
});

it('groups failures by code and subject, however their sentences are worded', () => {
  const failure = (subject: string, message: string, firstSecond: number): Failure => ({
    crew: 'c',
    transaction: 't',
    step: 's',
    code: 'status-unexpected',
    subject,
    message,
    count: 1,
    firstSecond,
    lastSecond: firstSecond,
    example: null,
  });
  const groups = groupFailures([
    failure('409', 'It answered 409 instead of 200: “Bay A-017 was taken.”.', 3),
    failure('409', 'The status was 409; 200 was expected.', 9),
    failure('500', 'It answered 500 instead of 200.', 4),
  ]);
  expect(groups.map((group) => [group.count, group.firstSecond, group.lastSecond])).toEqual([
    [2, 3, 9],
    [1, 4, 4],
  ]);
});
