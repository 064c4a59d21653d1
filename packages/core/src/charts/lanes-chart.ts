import type { LanePoint } from '../analyse/run.schema.js';
import type { RunEvent } from '../analyse/run-event.schema.js';
import type { HostSeries } from '../hosts/watch.schema.js';
import { bandStartMs } from '../measure/tally.js';
import { axisClock, chartFont, type ChartOptions, type Colour } from './chart-options.js';

interface Lane {
  title: string;
  unit: string;
  /** Height beside those of the others. */
  share: number;
}

const ownLanes: readonly Lane[] = [
  { title: 'Virtual users', unit: 'users', share: 17 },
  { title: 'Transactions', unit: 'per second', share: 21 },
  { title: 'Response time, all transactions', unit: 'ms; line: p95, shade: where most lie', share: 34 },
  { title: 'Failures', unit: 'per second', share: 15 },
];

/** Nothing of a line changes while the cursor moves over it. */
const still = { silent: true, emphasis: { disabled: true } };

/** What lies left and right of all lanes, in pixels. */
export const laneMargins = { left: 48, right: 18 };

/** The last second of the time axis. */
export const lanesEnd = ({ points, seconds }: Pick<LanesView, 'points' | 'seconds'>): number =>
  Math.max(seconds, points.at(-1)?.second ?? 0);

const hostShare = 15;

/** How many times as high as the four lanes all of them are together with those of hosts. */
export const laneHeights = (hosts: number): number => (100 + hosts * (hostShare + 3)) / 100;

/** What the lanes show. */
export interface LanesView {
  points: readonly LanePoint[];
  /** Planned length, in seconds. */
  seconds: number;
  /** Limit of response times that is drawn; null for none. */
  limitMs: number | null;
  hosts: readonly HostSeries[];
  events: readonly RunEvent[];
  /** A stretch that is marked through all lanes. */
  stretch: Stretch | null;
}

/** A stretch of a run, in seconds. */
export interface Stretch {
  fromSecond: number;
  toSecond: number;
}

/** Reads a stretch as an address has it, such as 120-180; null where it is none. */
export function stretchOf(text: string | undefined): Stretch | null {
  const [, from = '', to = ''] = /^(\d{1,7})-(\d{1,7})$/.exec(text ?? '') ?? [];
  return from === '' || Number(to) <= Number(from) ? null : { fromSecond: Number(from), toSecond: Number(to) };
}

/** Lanes on one time axis with one cursor: users, throughput, response time, failures, and a lane for each figure of a host. */
export function lanesOptions(view: LanesView, colour: Colour): ChartOptions {
  const { points, limitMs, hosts, events, stretch } = view;
  const whole = laneHeights(hosts.length);
  const lanes: Lane[] = [...ownLanes, ...hosts.map(({ host, name, unit }) => ({ title: `${host}: ${name}`, unit, share: hostShare }))].map(
    (lane) => ({ ...lane, share: lane.share / whole }),
  );
  const gap = 3 / whole;
  const title = 4 / whole;
  let top = title;
  const grids: object[] = [];
  const titles: object[] = [];
  for (const lane of lanes) {
    titles.push({
      text: lane.title,
      left: 44,
      top: `${top - title}%`,
      textStyle: { fontSize: 13, fontWeight: 600, color: colour('ink'), fontFamily: chartFont },
    });
    titles.push({
      text: lane.unit,
      right: 16,
      top: `${top - title}%`,
      textStyle: { fontSize: 12, fontWeight: 400, color: colour('ink-2'), fontFamily: chartFont },
    });
    grids.push({ ...laneMargins, top: `${top}%`, height: `${lane.share - 7 / whole}%`, containLabel: false });
    top += lane.share + gap;
  }
  const at = (value: (point: LanePoint) => number | null) => points.map((point) => [point.second, value(point)]);
  const line = (index: number, name: string, data: unknown[], options: object) => ({
    name,
    type: 'line',
    xAxisIndex: index,
    yAxisIndex: index,
    symbol: 'none',
    data,
    // Of an hour more points come than the lane has pixels; the least and the most of each are drawn, so no peak is hidden.
    sampling: 'minmax',
    ...still,
    ...options,
  });
  return {
    animation: false,
    textStyle: { fontFamily: chartFont },
    title: titles,
    grid: grids,
    xAxis: lanes.map((_, index) => ({
      type: 'value',
      gridIndex: index,
      min: 0,
      max: lanesEnd(view),
      axisLabel: { show: index === lanes.length - 1, formatter: (value: number) => axisClock(value), color: colour('ink-2') },
      axisLine: { lineStyle: { color: colour('line-strong') } },
      axisTick: { show: false },
      splitLine: { show: false },
    })),
    yAxis: lanes.map((_, index) => ({
      type: 'value',
      gridIndex: index,
      min: 0,
      minInterval: index === 2 || index >= ownLanes.length ? 0 : 1,
      splitNumber: 2,
      axisLabel: { color: colour('ink-2') },
      splitLine: { lineStyle: { color: colour('line') } },
    })),
    series: [
      ...(stretch === null ? [] : lanes.map((_, index) => stretchBand(index, stretch, colour))),
      line(
        0,
        'users',
        at((point) => point.users),
        {
          step: 'end',
          lineStyle: { color: colour('ink'), width: 2 },
          markLine: {
            silent: true,
            symbol: 'none',
            lineStyle: { color: colour('clay'), type: 'dotted' },
            // Numbers of the list beside: texts would lie over each other.
            label: {
              formatter: '{b}',
              position: 'middle',
              rotate: 0,
              color: colour('clay'),
              backgroundColor: colour('surface'),
              padding: [1, 4],
              fontSize: 11,
            },
            data: events.map(({ second }, at) => ({ xAxis: second, name: String(at + 1) })),
          },
        },
      ),
      line(
        1,
        'per second',
        at((point) => point.perSecond),
        { lineStyle: { color: colour('s0'), width: 1.6 }, areaStyle: { color: colour('teal-soft') } },
      ),
      {
        name: 'spread',
        type: 'custom',
        xAxisIndex: 2,
        yAxisIndex: 2,
        ...still,
        clip: true,
        encode: { x: [0, 1], y: [2, 3] },
        data: heatCells(points),
        renderItem: (_: unknown, api: HeatApi) => {
          const [left = 0, top = 0] = api.coord([api.value(0), api.value(3)]);
          const [right = 0, bottom = 0] = api.coord([api.value(1), api.value(2)]);
          return {
            type: 'rect',
            // Half a point wider, so that no seam shows between two cells.
            shape: { x: left, y: top, width: right - left + 0.5, height: Math.max(1, bottom - top) },
            style: { fill: colour('s4'), opacity: 0.08 + 0.72 * api.value(4) },
          };
        },
      },
      line(
        2,
        'p95',
        at((point) => point.p95Ms),
        {
          lineStyle: { color: colour('ink'), width: 1.6 },
          ...(limitMs === null
            ? {}
            : {
                markLine: {
                  silent: true,
                  symbol: 'none',
                  lineStyle: { color: colour('clay'), type: 'dashed' },
                  label: { formatter: `limit ${limitMs.toLocaleString('en')}`, position: 'insideEndTop', color: colour('clay') },
                  data: [{ yAxis: limitMs }],
                },
              }),
        },
      ),
      {
        name: 'failures',
        type: 'bar',
        xAxisIndex: 3,
        yAxisIndex: 3,
        data: at((point) => point.failures),
        itemStyle: { color: colour('red') },
        barMaxWidth: 6,
        ...still,
      },
      ...hosts.map(({ name, points: data }, at) =>
        line(ownLanes.length + at, name, data, {
          connectNulls: false,
          lineStyle: { color: colour(`s${(at + 2) % 8}`), width: 1.6 },
          itemStyle: { color: colour(`s${(at + 2) % 8}`) },
        }),
      ),
    ],
  };
}

/** A band behind one lane. */
const stretchBand = (index: number, { fromSecond, toSecond }: Stretch, colour: Colour): object => ({
  name: 'stretch',
  type: 'line',
  xAxisIndex: index,
  yAxisIndex: index,
  data: [],
  ...still,
  markArea: {
    silent: true,
    itemStyle: { color: colour('clay'), opacity: 0.14 },
    data: [[{ xAxis: fromSecond }, { xAxis: toSecond }]],
  },
});

/** What the chart gives to a function that draws a cell. */
interface HeatApi {
  value: (dimension: number) => number;
  coord: (at: [number, number]) => number[];
}

/** Columns of the heat band, at the most: more than the lane has room for would only take time to draw. */
const mostColumns = 240;

/** Cells of the heat band: from and to in seconds, from and to in ms, and the share of the samples of that time, 0 to 1. */
export function heatCells(points: readonly LanePoint[]): [number, number, number, number, number][] {
  const [first, last] = [points[0]?.second ?? 0, points.at(-1)?.second ?? 0];
  const width = Math.max(1, Math.ceil((last - first + 1) / mostColumns));
  const columns = new Map<number, Map<number, number>>();
  for (const { second, bands = [] } of points) {
    const column = Math.floor((second - first) / width);
    const ownColumn = columns.get(column) ?? new Map<number, number>();
    columns.set(column, ownColumn);
    for (const [band = 0, count = 0] of bands) ownColumn.set(band, (ownColumn.get(band) ?? 0) + count);
  }
  return [...columns].flatMap(([column, points]) => {
    const all = [...points.values()].reduce((sum, count) => sum + count, 0);
    // A column reaches from half a second before its first point, so that its points lie in it.
    const from = first + column * width - 0.5;
    return [...points].map(([band, count]): [number, number, number, number, number] => [
      from,
      from + width,
      bandStartMs(band),
      bandStartMs(band + 1),
      count / all,
    ]);
  });
}

/** What stood there at a second, for the cursor: the run first, then each figure of a host, then what happened. */
export function toldAt({ points, hosts, events }: LanesView, second: number): { name: string; text: string }[] {
  const at = nearest(points, second);
  if (!at) return [];
  const ms = (value: number | null) => (value === null ? 'none' : `${Math.round(value).toLocaleString('en')} ms`);
  return [
    { name: axisClock(at.second), text: `${at.users.toLocaleString('en')} users` },
    { name: 'p95, mean', text: `${ms(at.p95Ms)}, ${ms(at.meanMs)}` },
    { name: 'Transactions', text: `${at.perSecond.toLocaleString('en')} a second, ${at.failures.toLocaleString('en')} failed` },
    ...hosts.map(({ host, name, unit, points: hostPoints }) => {
      const value = lastBefore(hostPoints, at.second);
      return {
        name: `${host}: ${name}`,
        text: value === null ? 'none' : `${value.toFixed(Math.abs(value) < 100 ? 1 : 0)} ${unit}`,
      };
    }),
    ...events.filter((event) => event.second === at.second).map(({ text }) => ({ name: 'Then', text })),
  ];
}

/** The index of the last of ordered items whose second is not after one; -1 where there is none. */
function lastIndex<T>(items: readonly T[], second: number, of: (item: T) => number): number {
  let [low, high] = [0, items.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    const item = items[middle];
    if (item !== undefined && of(item) <= second) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

function nearest(points: readonly LanePoint[], second: number): LanePoint | undefined {
  const at = lastIndex(points, second, (point) => point.second);
  const [before, after] = [points[at], points[at + 1]];
  if (!before || !after) return before ?? after;
  return second - before.second <= after.second - second ? before : after;
}

const lastBefore = (points: HostSeries['points'], second: number): number | null =>
  points[lastIndex(points, second, ([at]) => at)]?.[1] ?? null;
