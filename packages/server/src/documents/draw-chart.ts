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
  return withoutStyles(svg);
}

/** Styles of elements as attributes of their own (SVG 2, 6.6): a page with a strict content security policy takes no others. */
const withoutStyles = (svg: string): string =>
  svg.replace(/<style[^>]*>[\s\S]*?<\/style>/g, '').replace(/ style="([^"]*)"/g, (_, style: string) =>
    style
      .split(';')
      .flatMap((declaration) => {
        const [, name = '', value = ''] = /^\s*([\w-]+)\s*:\s*(.*?)\s*$/.exec(declaration) ?? [];
        // What has no attribute of its own makes no difference on paper.
        return presentation.has(name) ? [` ${name}="${value.replace(/&quot;|"/g, "'")}"`] : [];
      })
      .join(''),
  );

const presentation = new Set([
  'dominant-baseline',
  'fill',
  'font-family',
  'font-size',
  'font-style',
  'font-weight',
  'opacity',
  'text-anchor',
]);
