import { chartFont, type ChartOptions } from '@sturdy/core';
import { BarChart, CustomChart, LineChart, ScatterChart } from 'echarts/charts';
import { GridComponent, LegendComponent, MarkAreaComponent, MarkLineComponent, TitleComponent } from 'echarts/components';
import { init, use } from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';

use([
  BarChart,
  CustomChart,
  LineChart,
  ScatterChart,
  GridComponent,
  LegendComponent,
  MarkAreaComponent,
  MarkLineComponent,
  TitleComponent,
  SVGRenderer,
]);

/** A chart as SVG, from the options that it has on screen; no browser is needed. */
export function drawChart(options: ChartOptions, width: number, height: number): string {
  const chart = init(null, null, { renderer: 'svg', ssr: true, width, height });
  chart.setOption({ ...options, animation: false, backgroundColor: '#ffffff', textStyle: { fontFamily: chartFont } });
  const svg = chart.renderToSVGString();
  chart.dispose();
  return svg;
}
