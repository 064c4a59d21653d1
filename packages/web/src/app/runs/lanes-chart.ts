import type { LanePoint } from '@sturdy/core';
import type { EChartsCoreOption } from 'echarts/core';
import { clock } from '../shared/format';

const lanes = [
  { title: 'Virtual users', unit: 'users', share: 17 },
  { title: 'Transactions', unit: 'per second', share: 21 },
  { title: 'Response time, all transactions', unit: 'ms; line: p95, band: p50 to p95', share: 34 },
  { title: 'Failures', unit: 'per second', share: 15 },
];

/** Four lanes on one time axis with one cursor: users, throughput, response time, failures. */
export function lanesOptions(
  points: readonly LanePoint[],
  seconds: number,
  limitMs: number | null,
  colour: (name: string) => string,
): EChartsCoreOption {
  let top = 4;
  const grids: object[] = [];
  const titles: object[] = [];
  for (const lane of lanes) {
    titles.push({
      text: lane.title,
      left: 44,
      top: `${top - 4}%`,
      textStyle: { fontSize: 13, fontWeight: 600, color: colour('ink'), fontFamily: 'Figtree Variable' },
    });
    titles.push({
      text: lane.unit,
      right: 16,
      top: `${top - 4}%`,
      textStyle: { fontSize: 12, fontWeight: 400, color: colour('ink-2'), fontFamily: 'Figtree Variable' },
    });
    grids.push({ left: 48, right: 18, top: `${top}%`, height: `${lane.share - 7}%`, containLabel: false });
    top += lane.share + 3;
  }
  const at = (value: (point: LanePoint) => number | null) => points.map((point) => [point.second, value(point)]);
  const line = (index: number, name: string, data: unknown[], own: object) => ({
    name,
    type: 'line',
    xAxisIndex: index,
    yAxisIndex: index,
    symbol: 'none',
    data,
    ...own,
  });
  return {
    animation: false,
    textStyle: { fontFamily: 'Figtree Variable' },
    title: titles,
    grid: grids,
    axisPointer: { link: [{ xAxisIndex: 'all' }], lineStyle: { color: colour('ink-2') } },
    tooltip: {
      trigger: 'axis',
      backgroundColor: colour('surface'),
      borderColor: colour('line-strong'),
      textStyle: { color: colour('ink'), fontSize: 12.5 },
      formatter: (items: unknown) => {
        const list = items as { axisValue: number; seriesName: string; value: [number, number | null] }[];
        const point = points.find((one) => one.second === list[0]?.axisValue);
        if (!point) return '';
        const ms = (value: number | null) => (value === null ? 'none' : `${Math.round(value)} ms`);
        return `<b>${clock(point.second)} · ${point.users} users</b><br>p95 ${ms(point.p95Ms)}, mean ${ms(point.meanMs)}<br>${point.perSecond} transactions, ${point.failures} failed`;
      },
    },
    xAxis: lanes.map((_, index) => ({
      type: 'value',
      gridIndex: index,
      min: 0,
      max: Math.max(seconds, points.at(-1)?.second ?? 0),
      axisLabel: { show: index === lanes.length - 1, formatter: (value: number) => clock(value), color: colour('ink-2') },
      axisLine: { lineStyle: { color: colour('line-strong') } },
      axisTick: { show: false },
      splitLine: { show: false },
      axisPointer: { show: true, snap: true, label: { show: false } },
    })),
    yAxis: lanes.map((_, index) => ({
      type: 'value',
      gridIndex: index,
      min: 0,
      minInterval: index === 2 ? 0 : 1,
      splitNumber: 2,
      axisLabel: { color: colour('ink-2') },
      splitLine: { lineStyle: { color: colour('line') } },
    })),
    series: [
      line(
        0,
        'users',
        at((one) => one.users),
        { step: 'end', lineStyle: { color: colour('ink'), width: 2 } },
      ),
      line(
        1,
        'per second',
        at((one) => one.perSecond),
        { lineStyle: { color: colour('s0'), width: 1.6 }, areaStyle: { color: colour('teal-soft') } },
      ),
      line(
        2,
        'p50',
        at((one) => one.p50Ms),
        { stack: 'band', lineStyle: { opacity: 0 } },
      ),
      line(
        2,
        'band',
        at((one) => (one.p95Ms === null || one.p50Ms === null ? null : one.p95Ms - one.p50Ms)),
        { stack: 'band', lineStyle: { opacity: 0 }, areaStyle: { color: colour('s4'), opacity: 0.25 } },
      ),
      line(
        2,
        'p95',
        at((one) => one.p95Ms),
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
        data: at((one) => one.failures),
        itemStyle: { color: colour('red') },
        barMaxWidth: 6,
      },
    ],
  };
}
