import type { LanePoint } from '../analyse/run.schema.js';
import type { RunComparison, Trend } from '../compare/compare.schema.js';
import { axisClock, chartFont, type ChartOptions, type Colour } from './chart-options.js';

/** A compared run with its lanes. */
export interface ComparedLanes {
  run: RunComparison['runs'][number];
  points: readonly LanePoint[];
}

const text = { fontFamily: chartFont };
/** Dashes tell runs apart as well as colours do. */
const dashes = ['solid', 'dashed', 'dotted', [8, 3, 2, 3], [2, 2], [12, 4]] as const;

/** Response time and throughput of the runs over each other, aligned at the begin of the hold. */
export function comparedLanesOptions(lanes: readonly ComparedLanes[], colour: Colour): ChartOptions {
  const charts = [
    { title: 'Response time, p95, ms', of: (point: LanePoint) => point.p95Ms },
    { title: 'Transactions a second', of: (point: LanePoint) => point.perSecond },
    { title: 'Virtual users', of: (point: LanePoint) => point.users },
  ];
  return {
    animation: false,
    textStyle: text,
    title: charts.map(({ title }, at) => ({
      text: title,
      left: 44,
      top: `${at * 33}%`,
      textStyle: { fontSize: 13, fontWeight: 600, color: colour('ink'), ...text },
    })),
    grid: charts.map((_, at) => ({ left: 48, right: 18, top: `${at * 33 + 8}%`, height: '20%' })),
    xAxis: charts.map((_, gridIndex) => ({
      type: 'value',
      gridIndex,
      axisLabel: { color: colour('ink-2'), formatter: (value: number) => (value < 0 ? `−${axisClock(-value)}` : axisClock(value)) },
      splitLine: { show: false },
    })),
    yAxis: charts.map((_, gridIndex) => ({
      type: 'value',
      gridIndex,
      min: 0,
      splitNumber: 2,
      axisLabel: { color: colour('ink-2') },
      splitLine: { lineStyle: { color: colour('line') } },
    })),
    series: charts.flatMap(({ of }, index) =>
      lanes.map(({ run, points }, at) => ({
        name: `run ${run.number}`,
        type: 'line',
        xAxisIndex: index,
        yAxisIndex: index,
        symbol: 'none',
        silent: true,
        sampling: 'minmax',
        data: points.map((point) => [point.second - run.fromSecond, of(point)]),
        lineStyle: { color: colour(`s${at}`), width: 1.7, type: dashes[at % dashes.length] },
      })),
    ),
  };
}

/** A round figure not below this one, in halves of its power of ten. */
function niceAbove(value: number): number {
  const step = 10 ** Math.floor(Math.log10(Math.max(value, 1e-9)));
  return Math.ceil(value / (step / 2)) * (step / 2);
}

/** p95 of one transaction over runs, with its band; releases stand below the runs. */
export function trendOptions(
  { runs }: Pick<Trend, 'runs'>,
  { points, firstWorse }: Trend['transactions'][number],
  colour: Colour,
): ChartOptions {
  const band = points.flatMap((point, at) => (point ? [{ at, point }] : []));
  return {
    animation: false,
    textStyle: text,
    grid: { left: 62, right: 20, top: 16, bottom: 44 },
    xAxis: {
      type: 'category',
      data: runs.map(({ number, release }) => `run ${number}${release === null ? '' : `\n${release}`}`),
      axisLabel: { color: colour('ink-2'), interval: 0 },
    },
    yAxis: {
      type: 'value',
      name: 'p95, ms',
      nameLocation: 'middle',
      nameGap: 46,
      min: 0,
      // The bars are no line, so the axis does not make room for them by itself.
      max: niceAbove(Math.max(0, ...points.map((point) => point?.high ?? 0))),
      nameTextStyle: { color: colour('ink-2'), ...text },
      axisLabel: { color: colour('ink-2') },
      splitLine: { lineStyle: { color: colour('line') } },
    },
    series: [
      {
        name: 'range of 95 %',
        type: 'custom',
        silent: true,
        data: band.map(({ at, point }) => [at, point.low, point.high]),
        renderItem: (_: unknown, api: { value: (place: number) => number; coord: (at: [number, number]) => number[] }) => {
          const [x = 0, low = 0] = api.coord([api.value(0), api.value(1)]);
          const [, high = 0] = api.coord([api.value(0), api.value(2)]);
          return {
            type: 'rect',
            shape: { x: x - 5, y: high, width: 10, height: low - high },
            style: { fill: colour('s4'), opacity: 0.35 },
          };
        },
      },
      {
        name: 'p95',
        type: 'line',
        silent: true,
        symbolSize: 8,
        data: points.map((point, at) =>
          point === null
            ? null
            : {
                value: point.value,
                itemStyle: { color: colour(at === firstWorse ? 'red' : 's0') },
                symbol: at === firstWorse ? 'diamond' : 'circle',
              },
        ),
        lineStyle: { color: colour('s0'), width: 1.8 },
      },
    ],
  };
}
