import type { Stretch } from './lanes-chart.js';
import { axisClock, chartFont, type ChartOptions, type Colour } from './chart-options.js';

/** A series as a lane draws it. */
export interface LaneSeries {
  name: string;
  unit: string;
  axis: 'left' | 'right';
  points: readonly (readonly [number, number | null])[];
  /** Place of its colour, from 0 on. */
  hue: number;
}

/** What one lane shows, in seconds since the start of the run. */
export interface LaneView {
  series: readonly LaneSeries[];
  fromSecond: number;
  toSecond: number;
  /** True where the time axis is labelled. */
  hasTimes: boolean;
  /** A stretch that is marked. */
  stretch: Stretch | null;
}

/** What lies left and right of a lane, in pixels; the same in all, so that their times stand below each other. */
export const exploreMargins = { left: 58, right: 58 };

const dashes = ['solid', 'dashed', 'dotted', [8, 3, 2, 3]] as const;

/** One lane: its series on one or two axes. Series of one side share their axis, and its unit is that of the first of them. */
export function laneOptions({ series, fromSecond, toSecond, hasTimes, stretch }: LaneView, colour: Colour): ChartOptions {
  const sides = ['left', 'right'] as const;
  const unitOf = (side: LaneSeries['axis']): string => {
    const units = new Set(series.filter(({ axis }) => axis === side).map(({ unit }) => unit));
    return [...units].join(', ');
  };
  return {
    animation: false,
    textStyle: { fontFamily: chartFont },
    grid: { ...exploreMargins, top: 18, bottom: hasTimes ? 22 : 6, containLabel: false },
    xAxis: {
      type: 'value',
      min: fromSecond,
      max: toSecond,
      axisLabel: { show: hasTimes, formatter: (value: number) => axisClock(value), color: colour('ink-2') },
      axisLine: { lineStyle: { color: colour('line-strong') } },
      axisTick: { show: false },
      splitLine: { show: false },
    },
    yAxis: sides.map((side) => ({
      type: 'value',
      position: side,
      name: unitOf(side),
      nameGap: 5,
      nameTextStyle: { color: colour('ink-2'), fontFamily: chartFont, align: side === 'left' ? 'right' : 'left' },
      min: 0,
      splitNumber: 2,
      axisLabel: { color: colour('ink-2') },
      splitLine: { show: side === 'left', lineStyle: { color: colour('line') } },
    })),
    series: [
      ...(stretch === null
        ? []
        : [
            {
              type: 'line',
              data: [],
              markArea: {
                silent: true,
                itemStyle: { color: colour('teal-soft') },
                data: [[{ xAxis: stretch.fromSecond }, { xAxis: stretch.toSecond }]],
              },
            },
          ]),
      ...series.map(({ name, axis, points, hue }) => ({
        name,
        type: 'line',
        yAxisIndex: sides.indexOf(axis),
        symbol: 'none',
        // Of an hour more points come than the lane has pixels; the least and the most of each are drawn, so no peak is hidden.
        sampling: 'minmax',
        silent: true,
        emphasis: { disabled: true },
        data: points,
        lineStyle: { color: colour(`s${hue % 8}`), width: 1.7, type: dashes[Math.floor(hue / 8) % dashes.length] },
      })),
    ],
  };
}

/** The value of a series at a second: that of the last point up to it, not older than `withinSeconds`; null for none. */
export function valueAt(points: LaneSeries['points'], second: number, withinSeconds = 5): number | null {
  let [low, high] = [0, points.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((points[middle]?.[0] ?? 0) <= second) low = middle + 1;
    else high = middle;
  }
  const point = points[low - 1];
  return point && second - point[0] < withinSeconds ? point[1] : null;
}
