import { laggedCorrelation } from '../../statistics/correlation.js';
import { mean } from '../../statistics/interval.js';
import type { HostSeries } from '../../hosts/watch.schema.js';
import type { HostRule } from '../finding-rules.schema.js';
import type { Finding } from '../finding.schema.js';
import { figureText, within, type PreparedGround } from '../ground.js';
import { momentText } from './turning.js';

interface Stretch {
  fromSecond: number;
  toSecond: number;
  most: number;
}

/** Stretches in which a series stayed above a limit for so long; a gap ends one. */
function stretchesAbove(points: HostSeries['points'], limit: number, forSeconds: number): Stretch[] {
  const stretches: Stretch[] = [];
  let isOpen = false;
  for (const [second, value] of points) {
    const last = stretches.at(-1);
    const isAbove = value !== null && value > limit;
    if (isAbove && isOpen && last) {
      last.toSecond = second;
      last.most = Math.max(last.most, value);
    } else if (isAbove) stretches.push({ fromSecond: second, toSecond: second, most: value });
    isOpen = isAbove;
  }
  return stretches.filter(({ fromSecond, toSecond }) => toSecond - fromSecond >= forSeconds);
}

/** What a rule says of the hosts that were watched. */
export function hostRules(ground: PreparedGround): Finding[] {
  return ground.rules.hostRules.flatMap((rule) =>
    ground.hosts.filter((series) => fits(rule, series)).flatMap((series) => ruleFinding(ground, rule, series)),
  );
}

const fits = ({ figure, unit }: HostRule, series: HostSeries): boolean =>
  (unit === null || unit === series.unit) && new RegExp(figure, 'i').test(`${series.host}: ${series.name}`);

function ruleFinding(ground: PreparedGround, rule: HostRule, series: HostSeries): Finding[] {
  const stretches = stretchesAbove(series.points, rule.limit, rule.forSeconds);
  const [first] = stretches;
  if (!first) return [];
  const last = stretches.at(-1) ?? first;
  const most = Math.max(...stretches.map((stretch) => stretch.most));
  const inSeconds = stretches.reduce((sum, { fromSecond, toSecond }) => sum + toSecond - fromSecond, 0);
  return [
    {
      id: `host ${rule.id} ${series.id}`,
      kind: 'host',
      severity: rule.severity,
      sentence:
        `${series.host}: ${lowerFirst(rule.name)}. “${series.name}” was above ${withUnit(rule.limit, series)} for ${Math.round(inSeconds)} s (${withUnit(most, series)} at most), ${momentText(first.fromSecond, last.toSecond)}.${besideResponse(ground, first)}`.replaceAll(
          ' )',
          ')',
        ),
      explanation: `${rule.explanation} The rule: above ${withUnit(rule.limit, series)} for ${rule.forSeconds} s or longer (common practice, no source).`,
      fromSecond: first.fromSecond,
      toSecond: last.toSecond,
      series: [series.id],
      chart: null,
    },
  ];
}

const withUnit = (value: number, { unit }: HostSeries): string => (unit === '' ? figureText(value) : `${figureText(value)} ${unit}`);

const lowerFirst = (text: string): string => text.charAt(0).toLowerCase() + text.slice(1);

/** What response time did meanwhile, against the time before. */
function besideResponse({ seconds }: PreparedGround, { fromSecond, toSecond }: { fromSecond: number; toSecond: number }): string {
  const meanMs = (from: number, to: number): number | null => {
    const own = within(seconds, { fromSecond: from, toSecond: to });
    const count = own.reduce((sum, second) => sum + second.count, 0);
    return count === 0 ? null : own.reduce((sum, second) => sum + second.sumMs, 0) / count;
  };
  const [before, then] = [meanMs(0, fromSecond), meanMs(fromSecond, toSecond + 1)];
  return before === null || then === null
    ? ''
    : ` Response time was ${figureText(then)} ms meanwhile, and ${figureText(before)} ms before.`;
}

/** So many seconds make one point, and so many points a host may come before response time. */
const windowSeconds = 5;
const mostLag = 6;
const mostTold = 3;

/** Which figures of hosts rise and fall with response time: a hint, never a cause. */
export function movesWith(ground: PreparedGround): Finding[] {
  const last = ground.seconds.at(-1)?.second ?? 0;
  const windows = Math.floor(last / windowSeconds);
  const response = Array.from({ length: windows }, (_, at) => {
    const own = within(ground.seconds, { fromSecond: at * windowSeconds, toSecond: (at + 1) * windowSeconds });
    const count = own.reduce((sum, second) => sum + second.count, 0);
    return count === 0 ? null : own.reduce((sum, second) => sum + second.sumMs, 0) / count;
  });
  return ground.hosts
    .flatMap((series) => {
      const values = Array.from({ length: windows }, (_, at) => {
        const own = series.points.flatMap(([second, value]) =>
          value !== null && Math.floor(second / windowSeconds) === at ? [value] : [],
        );
        return own.length === 0 ? null : mean(own);
      });
      const found = laggedCorrelation(response, values, mostLag);
      return found && Math.abs(found.correlation) >= ground.rules.leastCorrelation ? [{ series, ...found }] : [];
    })
    .sort((left, right) => Math.abs(right.correlation) - Math.abs(left.correlation))
    .slice(0, mostTold)
    .map(({ series, correlation, lag, pairs }) => {
      const when = lag === 0 ? 'at the same time' : lag > 0 ? `${lag * windowSeconds} s before it` : `${-lag * windowSeconds} s after it`;
      return {
        id: `moves-with ${series.id}`,
        kind: 'moves-with' as const,
        severity: 'hint' as const,
        sentence: `“${series.host}: ${series.name}” ${correlation > 0 ? 'rises and falls with' : 'moves against'} response time, ${when} (rank correlation ${correlation.toFixed(2)}).`,
        explanation: `Spearman’s rank correlation over ${pairs} stretches of ${windowSeconds} s. It is a hint where to look, and no cause: both may follow from the load.`,
        fromSecond: null,
        toSecond: null,
        series: [series.id],
        chart: null,
      };
    });
}

/** Says where figures of hosts are missing: without them nothing can be said of the reason. */
export function missingFigures({ hosts, run }: PreparedGround): Finding[] {
  const read = hosts.filter(({ points }) => points.some(([, value]) => value !== null));
  const silent = (run.watches ?? []).filter(({ id }) => !read.some((series) => series.id.startsWith(`${id}/`)));
  const missing = { severity: 'hint' as const, kind: 'missing' as const, fromSecond: null, toSecond: null, series: [], chart: null };
  if (read.length === 0)
    return [
      {
        ...missing,
        id: 'missing-hosts',
        sentence: 'There are no figures of hosts, so nothing can be said of what the system waits for.',
        explanation: 'Add the hosts of the system under test on the page Hosts; their figures are read while a run lasts.',
      },
    ];
  return silent.map(({ id, name }) => ({
    ...missing,
    id: `missing-${id}`,
    sentence: `“${name}” gave no figures in this run.`,
    explanation: 'See on the page Hosts whether it answers.',
  }));
}
