import { breakUpwards, type WeightedPoint } from '../../statistics/segmented.js';
import type { Finding, FindingChart } from '../finding.schema.js';
import { clockText, figureText, type PreparedGround } from '../ground.js';
import { kneeOf, type Knee } from '../knee.js';
import { levelErrors, levelMs, levelPerSecond, loadLevels, type LoadLevel } from '../load-levels.js';

/** Part of failures from which on errors are said to turn (common practice, no source). */
const leastErrors = 0.01;

/** Where throughput, response time and errors leave the course that they had under light load. */
export function turningPoints(ground: PreparedGround): Finding[] {
  const levels = loadLevels(ground);
  if (new Set(levels.map(({ load }) => Math.round(load * 10))).size < 4) return [];
  const isOpen = ground.run.workload.curve.kind === 'arrivals';
  const unit = isOpen ? 'iterations due a second' : 'users';
  const found: Finding[] = [];
  const knee = isOpen ? null : kneeOf(levels, ground.random);
  if (knee) found.push(kneeFinding(levels, knee), ...inProduction(ground, knee));
  else if (!isOpen) found.push(throughputGrows(levels) ? growing(levels) : turnedBefore(levels));
  const response = breakUpwards(pointsOf(levels, levelMs), ground.random);
  if (response) {
    const from = levels.find(({ load }) => load >= response.at.value);
    const flat = response.level + response.slopeBefore * response.breakAt;
    found.push({
      id: 'turning-response',
      kind: 'turning-point',
      severity: knee ? 'notable' : 'grave',
      sentence: `Response time turns at about ${figureText(response.at.value)} ${unit} (${range(response.at)}): up to there it is about ${figureText(flat)} ms, then each of the ${unit} more adds ${figureText(response.slopeAfter)} ms.`,
      explanation:
        'Two straight lines that meet are fitted to the mean response time over the load (segmented regression); the range holds the turn with 95 % confidence. Errors count with the time that they took.',
      ...spanOf(from),
      series: [],
      chart: {
        x: unit,
        y: 'mean response time, ms',
        points: levels.flatMap((level): [number, number][] => {
          const ms = levelMs(level);
          return ms === null ? [] : [[level.load, ms]];
        }),
        lines: [
          {
            name: 'fitted',
            points: [levels[0]?.load ?? 0, response.breakAt, levels.at(-1)?.load ?? 0].map((load) => [
              load,
              response.level +
                response.slopeBefore * load +
                (response.slopeAfter - response.slopeBefore) * Math.max(0, load - response.breakAt),
            ]),
          },
        ],
        mark: response.at,
      },
    });
  }
  const failing = levels.find((level) => levelErrors(level) >= leastErrors);
  if (failing && levels[0] && levelErrors(levels[0]) < leastErrors)
    found.push({
      id: 'turning-errors',
      kind: 'turning-point',
      severity: 'grave',
      sentence: `From ${figureText(failing.load)} ${unit} on transactions fail: ${figureText(100 * levelErrors(failing))} % there, ${figureText(100 * Math.max(...levels.map(levelErrors)))} % at most.`,
      explanation: `With less load fewer than ${100 * leastErrors} % failed. See the failures for what came first.`,
      ...spanOf(failing),
      series: [],
      chart: null,
    });
  return found;
}

const range = ({ low, high }: { low: number; high: number }): string => `95 % sure: ${figureText(low)} to ${figureText(high)}`;

const spanOf = (level: LoadLevel | undefined): Pick<Finding, 'fromSecond' | 'toSecond'> => ({
  fromSecond: level?.fromSecond ?? null,
  toSecond: level?.toSecond ?? null,
});

const pointsOf = (levels: readonly LoadLevel[], of: (level: LoadLevel) => number | null): WeightedPoint[] =>
  levels.flatMap((level) => {
    const y = of(level);
    return y === null ? [] : [{ x: level.load, y, weight: level.seconds.length }];
  });

const throughputChart = (levels: readonly LoadLevel[]): FindingChart => ({
  x: 'users',
  y: 'iterations a second',
  points: levels.map((level) => [level.load, levelPerSecond(level)]),
  lines: [],
  mark: null,
});

function kneeFinding(levels: readonly LoadLevel[], knee: Knee): Finding {
  const most = Math.max(...levels.map(({ load }) => load));
  const steps = 60;
  return {
    id: 'turning-throughput',
    kind: 'turning-point',
    severity: 'grave',
    sentence: `Service turns at about ${figureText(knee.users.value)} users (${range(knee.users)}): more users than that do not get more done, they only wait longer. At most ${figureText(knee.perSecond.value)} iterations a second are served.`,
    explanation: `An iteration takes ${figureText(knee.cycleSeconds)} s with its pauses while nobody waits. The curve of a closed queueing model is fitted to throughput over users; its two bounds cross at the turn (Lazowska and others 1984).${knee.stoodStill.map((level) => ` The level of ${figureText(level.load)} users was left out: it served ${figureText(levelPerSecond(level))} iterations a second where ${figureText(knee.curve(level.load))} were to be expected, so something stood still.`).join('')}`,
    ...spanOf(levels.find(({ load }) => load >= knee.users.value)),
    series: [],
    chart: {
      ...throughputChart(levels),
      lines: [
        {
          name: 'fitted',
          points: Array.from({ length: steps + 1 }, (_, step) => {
            const users = (most * step) / steps;
            return [users, knee.curve(users)];
          }),
        },
      ],
      mark: knee.users,
    },
  };
}

const heaviestOf = (levels: readonly LoadLevel[]): LoadLevel =>
  levels.reduce((heaviest, level) => (level.load > heaviest.load ? level : heaviest));
const lightestOf = (levels: readonly LoadLevel[]): LoadLevel =>
  levels.reduce((lightest, level) => (level.load < lightest.load ? level : lightest));

/** True where throughput grew by half as much as users did, at least: a turn before the first level lets it stay as it is. */
function throughputGrows(levels: readonly LoadLevel[]): boolean {
  const [lightest, heaviest] = [lightestOf(levels), heaviestOf(levels)];
  const gained = levelPerSecond(heaviest) / levelPerSecond(lightest) - 1;
  return !(gained < 0.5 * (heaviest.load / lightest.load - 1));
}

function turnedBefore(levels: readonly LoadLevel[]): Finding {
  const [lightest, heaviest] = [lightestOf(levels), heaviestOf(levels)];
  return {
    id: 'turning-throughput',
    kind: 'turning-point',
    severity: 'grave',
    sentence: `Service turns below ${figureText(lightest.load)} users: with ${figureText(heaviest.load)} no more than ${figureText(levelPerSecond(heaviest))} iterations a second were served, with ${figureText(lightest.load)} ${figureText(levelPerSecond(lightest))}.`,
    explanation: 'More users only waited longer, from the first step on. To find where it turns, let a staircase begin lower.',
    ...spanOf(lightest),
    series: [],
    chart: throughputChart(levels),
  };
}

function growing(levels: readonly LoadLevel[]): Finding {
  const last = heaviestOf(levels);
  return {
    id: 'turning-throughput',
    kind: 'turning-point',
    severity: 'fact',
    sentence: `With ${figureText(last.load)} users throughput was still growing (${figureText(levelPerSecond(last))} iterations a second): service does not turn up to there.`,
    explanation: 'To find where it turns, let a staircase climb higher.',
    ...spanOf(last),
    series: [],
    chart: throughputChart(levels),
  };
}

function inProduction({ capacityPercent }: PreparedGround, knee: Knee): Finding[] {
  if (capacityPercent === null || capacityPercent === 100) return [];
  const times = 100 / capacityPercent;
  return [
    {
      id: 'production',
      kind: 'production',
      severity: 'notable',
      sentence: `In production, service would turn at about ${figureText(times * knee.users.value)} users (${figureText(times * knee.users.low)} to ${figureText(times * knee.users.high)}), and serve ${figureText(times * knee.perSecond.value)} iterations a second.`,
      explanation: `The brief says that this environment has ${figureText(capacityPercent)} % of production’s capacity. That holds only where capacity grows in proportion: not where something is shared that does not grow (a database, a lock, a line), where production has other data, or where other applications run beside it.`,
      fromSecond: null,
      toSecond: null,
      series: [],
      chart: null,
    },
  ];
}

/** A moment in words, for other findings. */
export const momentText = (fromSecond: number, toSecond: number): string =>
  toSecond - fromSecond <= 1 ? `at ${clockText(fromSecond)}` : `from ${clockText(fromSecond)} to ${clockText(toSecond)}`;
