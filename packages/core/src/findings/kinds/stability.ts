import { rhythmOf } from '../../statistics/correlation.js';
import { mean, median } from '../../statistics/interval.js';
import { changePoint, theilSenSlope } from '../../statistics/trend.js';
import type { Finding } from '../finding.schema.js';
import { clockText, figureText, within, type PreparedGround, type SecondTotals } from '../ground.js';

/** A hold shorter than this tells nothing of stability, in seconds (common practice, no source). */
const shortestHold = 60;
/** Points that a hold is cut into at most, none shorter than one second. */
const mostPoints = 120;
/** A change within this part of the hold is a warm-up. */
const warmUpShare = 1 / 3;

/** Drift, steps, rhythm and warm-up of response time, and drift of memory, over the hold. */
export function stability(ground: PreparedGround): Finding[] {
  const held = within(ground.seconds, ground.hold);
  if (held.length < shortestHold || ground.run.workload.curve.kind === 'staircase') return [];
  return [...changeOfLevel(ground, held), ...rhythm(held), ...memory(ground)];
}

type Point = readonly [second: number, ms: number];

/** Mean response times of stretches of the hold. */
function responsePoints(held: readonly SecondTotals[]): Point[] {
  const size = Math.ceil(held.length / mostPoints);
  const points: Point[] = [];
  for (let from = 0; from < held.length; from += size) {
    const own = held.slice(from, from + size);
    const count = own.reduce((sum, second) => sum + second.count, 0);
    const [first] = own;
    if (count > 0 && first) points.push([first.second, own.reduce((sum, second) => sum + second.sumMs, 0) / count]);
  }
  return points;
}

const common = { series: [] as string[], chart: null };

/** A drift or a step, whichever explains more; a step near the begin that goes down is a warm-up. */
function changeOfLevel({ rules, hold }: PreparedGround, held: readonly SecondTotals[]): Finding[] {
  const points = responsePoints(held);
  const values = points.map(([, ms]) => ms);
  const level = median(values);
  const step = changePoint(values);
  const slope = theilSenSlope(points);
  const seconds = hold.toSecond - hold.fromSecond;
  const isStep = step !== null && step.chance <= rules.mostChance && Math.abs(step.after - step.before) >= rules.leastShare * level;
  const isDrift = slope !== null && (slope.low > 0 || slope.high < 0) && Math.abs(slope.value) * seconds >= rules.leastShare * level;
  if (!step || !slope || (!isStep && !isDrift)) return [];
  const centre = mean(points.map(([second]) => second));
  const offLine = mean(points.map(([second, ms]) => Math.abs(ms - level - slope.value * (second - centre))));
  const offStep = mean(values.map((ms, at) => Math.abs(ms - (at < step.at ? step.before : step.after))));
  const moment = points[step.at]?.[0] ?? hold.fromSecond;
  if (isStep && (!isDrift || offStep <= offLine)) {
    const isWarmUp = step.after < step.before && moment - hold.fromSecond <= warmUpShare * seconds;
    return [
      isWarmUp
        ? {
            ...common,
            id: 'warm-up',
            kind: 'warm-up',
            severity: 'notable',
            sentence: `The warm-up reaches into the hold: until ${clockText(moment)} response time was ${figureText(step.before)} ms, then ${figureText(step.after)} ms.`,
            explanation:
              'Caches and pools were being filled, so the first part of the hold is slower than what users meet later. Ramp up longer.',
            fromSecond: hold.fromSecond,
            toSecond: moment,
          }
        : {
            ...common,
            id: 'step-change',
            kind: 'step-change',
            severity: step.after > step.before ? 'grave' : 'notable',
            sentence: `At ${clockText(moment)} response time changed from ${figureText(step.before)} to ${figureText(step.after)} ms and stayed there.`,
            explanation: `Medians before and after; so large a change is by chance in ${chanceText(step.chance)} (Pettitt 1979). Something happened then: a job, a failover, a full cache, another user of the system.`,
            fromSecond: moment,
            toSecond: moment + 1,
          },
    ];
  }
  const minute = 60 * slope.value;
  return [
    {
      ...common,
      id: 'drift-response',
      kind: 'drift',
      severity: slope.value > 0 ? 'grave' : 'notable',
      sentence: `Response time ${slope.value > 0 ? 'rises' : 'falls'} during the hold, by ${figureText(Math.abs(minute))} ms a minute (95 % sure: ${figureText(Math.min(Math.abs(60 * slope.low), Math.abs(60 * slope.high)))} to ${figureText(Math.max(Math.abs(60 * slope.low), Math.abs(60 * slope.high)))}), ${figureText((100 * Math.abs(slope.value) * seconds) / level)} % in all.`,
      explanation: `${slope.value > 0 ? 'It would go on rising in a longer hold: something grows, such as a table, a queue or memory.' : 'The system was still warming up; hold longer.'} Slope after Theil and Sen.`,
      fromSecond: hold.fromSecond,
      toSecond: hold.toSecond,
    },
  ];
}

const chanceText = (chance: number): string =>
  chance < 0.001 ? 'fewer than 1 of 1,000 runs' : `${Math.max(1, Math.round(1000 * chance))} of 1,000 runs`;

function rhythm(held: readonly SecondTotals[]): Finding[] {
  // Seconds without a sample repeat the one before, so that they do not look like spikes.
  let last = 0;
  const values = held.map(({ count, sumMs }) => (last = count > 0 ? sumMs / count : last));
  const found = rhythmOf(values);
  const [first] = held;
  if (!found || !first) return [];
  return [
    {
      ...common,
      id: 'rhythm',
      kind: 'rhythm',
      severity: 'notable',
      sentence: `Response time has a rhythm: it comes back to itself every ${found.period} s (autocorrelation ${found.strength.toFixed(2)}).`,
      explanation:
        'Something runs at that pace: a collection of memory, a job, a cache that expires, a poll. Where the pace is that of the workload itself (its pacing), spread the pacing.',
      fromSecond: first.second,
      toSecond: (held.at(-1)?.second ?? first.second) + 1,
    },
  ];
}

/** Memory of hosts that grows over the hold. */
function memory({ hosts, hold, rules }: PreparedGround): Finding[] {
  return hosts
    .filter(({ name }) => /memory|heap/i.test(name))
    .flatMap((series) => {
      const points = series.points.flatMap(([second, value]): [number, number][] =>
        value !== null && second >= hold.fromSecond && second < hold.toSecond ? [[second, value]] : [],
      );
      const slope = theilSenSlope(points);
      const level = median(points.map(([, value]) => value));
      const seconds = hold.toSecond - hold.fromSecond;
      if (points.length < 20 || !slope || slope.low <= 0 || slope.value * seconds < rules.leastShare * level) return [];
      return [
        {
          ...common,
          id: `drift ${series.id}`,
          kind: 'drift' as const,
          severity: 'notable' as const,
          sentence: `${series.host}: “${series.name}” grows during the hold, by ${figureText(60 * slope.value)} ${series.unit} a minute (95 % sure: ${figureText(60 * slope.low)} to ${figureText(60 * slope.high)}).`,
          explanation:
            'Memory that only grows under a load that stays the same is not given back. Hold for hours to see whether it levels off. Slope after Theil and Sen.',
          fromSecond: hold.fromSecond,
          toSecond: hold.toSecond,
          series: [series.id],
        },
      ];
    });
}
