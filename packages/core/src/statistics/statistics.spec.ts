import { sampleRankCorrelation } from 'simple-statistics';
import seedrandom from 'seedrandom';
import {
  autocorrelation,
  blockedDeviation,
  breakUpwards,
  changePoint,
  deviation,
  fitScalability,
  fitSegmented,
  hypergeometricTail,
  laggedCorrelation,
  median,
  normal975,
  normalQuantile,
  percentileInterval,
  quantile,
  rankCorrelation,
  ranksOf,
  rhythmOf,
  scoreBlock,
  student975,
  studentQuantile,
  theilSenSlope,
} from './index.js';

/** A made series, of which R and SciPy computed what stands below. */
const digits = [3, 1, 4, 1, 5, 9, 2, 6, 5, 3, 5, 8, 9, 7, 9, 3];
const noise = (seed: string) => {
  const random = seedrandom(seed);
  // The sum of twelve uniform numbers is near to normal, with a deviation of 1 (common practice, no source).
  return () => Array.from({ length: 12 }, random).reduce((sum, value) => sum + value, -6);
};

describe('figures of a series', () => {
  it('are those of R 4.2.2: quantile(v, c(.025, .1, .975)), sd(v), median(v)', () => {
    expect([0.025, 0.1, 0.975].map((share) => quantile(digits, share))).toEqual([1, 1.5, 9]);
    expect(deviation(digits)).toBeCloseTo(2.780887149, 9);
    expect([median(digits), median([3, 1, 2])]).toEqual([5, 2]);
  });

  it('Student’s t is that of R 4.2.2, qt(0.975, c(3, 5, 10, 19, 39)), to one in a thousand; with many it is the normal one', () => {
    const expected = [3.182446305, 2.570581836, 2.228138852, 2.093024054, 2.02269092];
    [3, 5, 10, 19, 39].forEach((freedom, at) => {
      expect(student975(freedom) / (expected[at] ?? 0)).toBeCloseTo(1, freedom < 5 ? 2 : 3);
    });
    expect(student975(1e6)).toBeCloseTo(normal975, 4);
    // qnorm(c(0.75, 0.975, 0.999)), and qt(0.9975, 19), of R 4.2.2.
    [0.6744897502, 1.9599639845, 3.0902323062].forEach((quantile, at) => {
      expect(Math.abs(normalQuantile([0.75, 0.975, 0.999][at] ?? 0) - quantile)).toBeLessThan(0.00045);
    });
    expect(studentQuantile(0.9975, 19) / 3.173725).toBeCloseTo(1, 3);
  });

  it('an interval by percentiles always holds its value', () => {
    expect(percentileInterval(5, [6, 7, 8])).toMatchObject({ value: 5, low: 5 });
  });
});

describe('segmented regression', () => {
  const x = [1, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 24, 28, 32, 36, 40];
  const y = [101, 99, 102, 100, 103, 101, 104, 102, 118, 139, 158, 201, 238, 282, 319, 361];
  const weights = [5, 8, 10, 12, 15, 20, 20, 20, 20, 18, 18, 16, 16, 15, 15, 15];
  const points = x.map((place, at) => ({ x: place, y: y[at] ?? 0, weight: weights[at] ?? 0 }));

  it('finds what R 4.2.2 finds with segmented 1.6-2: segmented(lm(y ~ x, weights = w), seg.Z = ~x, psi = 15)', () => {
    const fit = fitSegmented(points);
    expect(fit?.breakAt).toBeCloseTo(14.47484029, 4);
    expect(fit?.slopeBefore).toBeCloseTo(0.2032224843, 4);
    expect(fit?.slopeAfter).toBeCloseTo(0.2032224843 + 9.8981246313, 4);
    expect(fit?.level).toBeCloseTo(100.0387684401, 3);
    expect(fit?.residual).toBeCloseTo(363.8275078, 3);
    expect(fit?.residualOfLine).toBeCloseTo(162945.4877, 3);
  });

  it('gives an interval that holds the break, and none where a straight line or a bend downwards does', () => {
    const found = breakUpwards(points, seedrandom('break'));
    expect(found?.at.low).toBeGreaterThan(12);
    expect(found?.at.high).toBeLessThan(17);
    const random = noise('line');
    const straight = x.map((place) => ({ x: place, y: 2 * place + random(), weight: 1 }));
    expect(breakUpwards(straight, seedrandom('line'))).toBeNull();
    expect(
      breakUpwards(
        x.map((place) => ({ x: place, y: Math.min(place, 15), weight: 1 })),
        seedrandom('down'),
      ),
    ).toBeNull();
    expect(fitSegmented(points.slice(0, 4))).toBeNull();
  });
});

describe('the Universal Scalability Law', () => {
  /** A published benchmark (Gunther, Guerrilla Capacity Planning, 2007, table 5.4, from memory): users and scripts an hour. */
  const published = [
    [1, 64.9],
    [18, 995.9],
    [36, 1652.4],
    [72, 1853.2],
    [108, 1828.9],
    [144, 1775],
    [216, 1702.2],
  ].map(([users = 0, perSecond = 0]) => ({ users, perSecond }));

  it('is fitted as R 4.2.2 does: nls(X ~ l*N/(1+s*(N-1)+k*N*(N-1)), start = list(l = 90, s = .028, k = 1e-4), algorithm = "port")', () => {
    const fit = fitScalability(published);
    expect(fit?.alone).toBeCloseTo(89.99524432, 3);
    expect(fit?.contention).toBeCloseTo(0.02772848316, 6);
    expect(fit?.coherency).toBeCloseTo(0.0001043654772, 8);
    expect(fit?.explained).toBeCloseTo(0.9895614781, 8);
    expect(fit?.residuals[2]).toBeCloseTo(111.0903973, 2);
    // N = √((1 − σ) / κ) (Gunther 2007, 5.19).
    expect(fit?.peakUsers).toBeCloseTo(Math.sqrt((1 - 0.02772848316) / 0.0001043654772), 2);
  });

  it('has no peak where nothing has to be agreed on, and needs four loads', () => {
    const amdahl = [1, 2, 4, 8, 16].map((users) => ({ users, perSecond: (10 * users) / (1 + 0.1 * (users - 1)) }));
    const fit = fitScalability(amdahl);
    expect(fit?.contention).toBeCloseTo(0.1, 5);
    expect(fit?.coherency).toBeLessThan(1e-8);
    expect(fit?.peakPerSecond).toBeGreaterThan(90);
    expect(fitScalability(published.slice(0, 3))).toBeNull();
  });
});

describe('trends', () => {
  it('Theil and Sen: scipy 1.10.1, stats.theilslopes(y, x, 0.95)', () => {
    const slope = theilSenSlope(digits.slice(0, 12).map((value, at) => [at + 1, value] as const));
    expect(slope?.value).toBeCloseTo(0.3666666666666667, 12);
    expect([slope?.low, slope?.high]).toEqual([0, 0.8]);
    expect(theilSenSlope([[1, 1]])).toBeNull();
  });

  it('bears outliers, where a mean would not', () => {
    const random = noise('drift');
    const drift = Array.from({ length: 2000 }, (_, at) => [at, 100 + 0.01 * at + random() + (at % 97 === 0 ? 500 : 0)] as const);
    const slope = theilSenSlope(drift);
    expect(slope?.low).toBeGreaterThan(0.009);
    expect(slope?.high).toBeLessThan(0.011);
  });

  it('Pettitt: his statistic by ranks, computed with R 4.2.2, 2*cumsum(rank(v)) - t*(n+1), and its approximate probability', () => {
    expect(changePoint(digits)).toEqual({ at: 4, before: 2, after: 5.5, chance: expect.closeTo(0.2731698153, 9) as number });
    const random = noise('step');
    const stepped = Array.from({ length: 120 }, (_, at) => (at < 70 ? 100 : 104) + random());
    expect(changePoint(stepped)?.chance).toBeLessThan(0.001);
    expect(Math.abs((changePoint(stepped)?.at ?? 0) - 70)).toBeLessThanOrEqual(2);
    expect(changePoint([1, 2])).toBeNull();
  });

  it('equal values share their ranks, as rank() of R has it', () => {
    expect(ranksOf([10, 20, 10, 5])).toEqual([2.5, 4, 2.5, 1]);
  });
});

describe('correlation', () => {
  const left = [3, 1, 4, 1, 5, 9, 2, 6, 5, 3];
  const right = [2, 7, 1, 8, 2, 8, 1, 8, 2, 8];

  it('by ranks is that of scipy 1.10.1, stats.spearmanr, and of simple-statistics where nothing is equal', () => {
    expect(rankCorrelation(left, right)).toBeCloseTo(0.13471506281091267, 12);
    const random = seedrandom('pairs');
    const [one, other] = [Array.from({ length: 40 }, random), Array.from({ length: 40 }, random)];
    expect(rankCorrelation(one, other)).toBeCloseTo(sampleRankCorrelation(one, other), 9);
    expect(rankCorrelation([1, 1, 1], [1, 2, 3])).toBe(0);
  });

  it('finds by how much one series comes before the other, over gaps', () => {
    const random = noise('lag');
    const cause: (number | null)[] = Array.from({ length: 120 }, () => random());
    const effect = cause.map((_, at) => cause[at - 3] ?? null);
    cause[50] = null;
    expect(laggedCorrelation(effect, cause, 10)).toMatchObject({ lag: 3, correlation: expect.closeTo(1, 6) as number });
    expect(laggedCorrelation([1, 2, null], [1, 2, 3], 1)).toBeNull();
  });

  it('with itself is that of statsmodels 0.13.5, tsa.stattools.acf(v, nlags = 5), and of R, acf(v)', () => {
    const expected = [1, 0.18103448, 0.13793103, 0.15517241, -0.27586207, -0.0862069];
    autocorrelation(digits, 5).forEach((value, lag) => {
      expect(value).toBeCloseTo(expected[lag] ?? NaN, 7);
    });
    expect(autocorrelation([2, 2, 2], 1)).toEqual([1, 0]);
  });

  it('finds the period of spikes, and none in noise or in a slow drift', () => {
    const random = noise('rhythm');
    const spiky = Array.from({ length: 300 }, (_, at) => 100 + random() + (at % 30 < 2 ? 40 : 0));
    expect(rhythmOf(spiky)?.period).toBe(30);
    expect(rhythmOf(Array.from({ length: 300 }, () => random()))).toBeNull();
    expect(rhythmOf(Array.from({ length: 300 }, (_, at) => at + random()))).toBeNull();
    expect(rhythmOf([1, 2, 3])).toBeNull();
  });
});

// R 4.2.2: phyper(k - 1, marked, total - marked, drawn, lower.tail = FALSE).
it.each([
  [10, 30, 100, 20, 0.0306964293543367],
  [60, 67, 1600, 200, 4.58260171054485e-50],
  [5, 10, 4000, 1000, 0.0778711419913476],
  [50, 1000, 20_000, 1000, 0.521673454921436],
  [1, 12, 3252, 42, 0.14466085770855],
])('the chance of at least %d marked of %d in %d, drawn %d, is as R has it', (k, marked, total, drawn, expected) => {
  expect(hypergeometricTail(k, marked, total, drawn) / expected).toBeCloseTo(1, 8);
});

it('the chance of at least so many marked is bounded where there is no choice', () => {
  expect([
    hypergeometricTail(0, 3, 9, 4),
    hypergeometricTail(4, 3, 9, 4),
    hypergeometricTail(2, 8, 9, 3),
    hypergeometricTail(3, 3, 3, 3),
  ]).toEqual([1, 0, 1, 1]);
});

describe('scores over blocks', () => {
  const blocks = [
    { scores: [31, 42, 58, 97, 60, 12, 75, 44], own: [0, 1, 0, 1, 1, 0, 0, 0], marks: [1, 1, 0, 1, 1, 0, 0, 0] },
    { scores: [210, 180, 333, 205, 190, 260], own: [1, 0, 1, 0, 0, 1], marks: [0, 0, 1, 0, 0, 1] },
    { scores: [5, 7, 7, 9, 7, 11, 30], own: [0, 0, 1, 0, 1, 0, 1], marks: [1, 0, 1, 0, 1, 0, 1] },
  ];
  const deviationOf = (scoresOf: (block: (typeof blocks)[number]) => number[]) =>
    blockedDeviation(
      blocks.map((block) => {
        const scores = scoresOf(block);
        const own = scores.filter((_, at) => block.own[at] === 1);
        return { ...scoreBlock(scores), ownCount: own.length, ownSum: own.reduce((sum, score) => sum + score, 0) };
      }),
    );

  // R 4.2.2 with coin 1.4.2: independence_test(ave(y, b, FUN = rank) ~ g | b), where g puts the group first and b is the block.
  it('are the rank sum of Wilcoxon over blocks, as R has it', () => {
    expect(deviationOf(({ scores }) => ranksOf(scores))).toBeCloseTo(1.83985723, 9);
  });

  // R 4.2.2: mantelhaen.test(table(f, g, b), correct = FALSE).
  it('are the test of Mantel and Haenszel with marks for scores, as R has it', () => {
    expect(deviationOf(({ marks }) => marks) ** 2).toBeCloseTo(10.053686471, 8);
  });

  it('say nothing where no block holds both', () => {
    expect(blockedDeviation([{ ...scoreBlock([1, 2, 3]), ownCount: 3, ownSum: 6 }])).toBe(0);
  });
});
