import type { FindingChart } from '../findings/finding.schema.js';
import { chartFont, type ChartOptions, type Colour } from './chart-options.js';

/** What was measured as dots, what was fitted as lines, and the place that the finding is about as a band. */
export function findingChart(chart: FindingChart, colour: Colour): ChartOptions {
  const axis = (name: string) => ({
    type: 'value' as const,
    name,
    nameLocation: 'middle' as const,
    nameGap: 30,
    min: 0,
    nameTextStyle: { color: colour('ink-2'), fontFamily: chartFont },
    axisLabel: { color: colour('ink-2') },
    splitLine: { lineStyle: { color: colour('line') } },
  });
  return {
    animation: false,
    textStyle: { fontFamily: chartFont },
    grid: { left: 62, right: 24, top: 22, bottom: 44 },
    xAxis: axis(chart.x),
    yAxis: { ...axis(chart.y), nameGap: 46 },
    series: [
      ...chart.lines.map(({ name, points }) => ({
        name,
        type: 'line',
        symbol: 'none',
        silent: true,
        data: points,
        lineStyle: { color: colour('clay'), width: 1.8 },
      })),
      {
        name: 'measured',
        type: 'scatter',
        symbolSize: 7,
        silent: true,
        data: chart.points,
        itemStyle: { color: colour('s0') },
        ...(chart.mark === null
          ? {}
          : {
              markArea: {
                silent: true,
                itemStyle: { color: colour('clay'), opacity: 0.12 },
                data: [[{ xAxis: chart.mark.low }, { xAxis: chart.mark.high }]],
              },
              markLine: {
                silent: true,
                symbol: 'none',
                label: { show: false },
                lineStyle: { color: colour('clay'), type: 'dashed' },
                data: [{ xAxis: chart.mark.value }],
              },
            }),
      },
    ],
  };
}
