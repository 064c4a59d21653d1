import { ChangeDetectionStrategy, Component, effect, ElementRef, inject, input, type OnDestroy, output, viewChild } from '@angular/core';
import type { EChartsCoreOption, EChartsType } from 'echarts/core';
import { Theme } from './theme';

/** Loaded when the first chart is shown, so that the charts stay out of the first bundle. */
const loadCharts = () => import('./echarts').then((loaded) => loaded.init);

/** A place on a chart, in the values of its axes. */
export interface ChartPlace {
  x: number;
  y: number;
}
/** A dot that can be dragged; sideways only where `sideways` says so. */
export interface ChartHandle extends ChartPlace {
  sideways: boolean;
}

/**
 * A chart that fills its host. `options` is asked again when the theme changes, because canvases know no CSS. Dots of `handles` can be
 * dragged; while one is, they are not drawn anew, so that the pointer keeps hold of it.
 */
@Component({
  selector: 'app-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div #box class="box" role="img" [attr.aria-label]="label()"></div>`,
  styles: `
    :host,
    .box {
      display: block;
      width: 100%;
      height: 100%;
    }
  `,
})
export class Chart implements OnDestroy {
  readonly #theme = inject(Theme);
  readonly options = input.required<(colour: (name: string) => string) => EChartsCoreOption>();
  readonly label = input.required<string>();
  readonly handles = input<readonly ChartHandle[]>([]);
  readonly dragged = output<ChartPlace & { at: number }>();
  readonly dragging = output<boolean>();
  /** A double click on the plot. */
  readonly placed = output<ChartPlace>();
  readonly box = viewChild.required<ElementRef<HTMLElement>>('box');
  #chart: EChartsType | null = null;
  #observer: ResizeObserver | null = null;
  #gone = false;
  #held = false;
  /** The last move that was not told yet: one is told for each frame at most. */
  #move: (ChartPlace & { at: number }) | null = null;

  constructor() {
    effect(() => {
      this.#theme.dark();
      const [options, handles] = [this.options(), this.handles()];
      void this.#draw(options, handles);
    });
  }

  ngOnDestroy(): void {
    this.#gone = true;
    this.#observer?.disconnect();
    this.#chart?.dispose();
  }

  async #draw(options: (colour: (name: string) => string) => EChartsCoreOption, handles: readonly ChartHandle[]): Promise<void> {
    const init = await loadCharts();
    if (this.#gone) return;
    const element = this.box().nativeElement;
    if (!this.#chart) {
      const chart = init(element);
      this.#chart = chart;
      this.#observer = new ResizeObserver(() => {
        chart.resize();
        this.#place(this.handles());
      });
      this.#observer.observe(element);
      chart.getZr().on('dblclick', ({ offsetX, offsetY }) => {
        const place = this.#placeOf([offsetX, offsetY]);
        if (place && chart.containPixel('grid', [offsetX, offsetY])) this.placed.emit(place);
      });
    }
    this.#chart.setOption(
      options((name) => this.#colour(name)),
      { replaceMerge: ['series'] },
    );
    this.#place(handles);
  }

  #colour(name: string): string {
    return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
  }

  #placeOf(pixel: [number, number]): ChartPlace | null {
    const [x, y] = this.#chart?.convertFromPixel('grid', pixel) ?? [];
    return x === undefined || y === undefined ? null : { x, y };
  }

  #place(handles: readonly ChartHandle[]): void {
    const chart = this.#chart;
    if (!chart || this.#held) return;
    const elements = handles.map(({ x, y, sideways }, at) => {
      const [left = 0, top = 0] = chart.convertToPixel('grid', [x, y]);
      const onDrag = (event: { target: { x: number; y: number } }) => {
        if (sideways) event.target.y = top;
        this.#tell(at, event.target);
      };
      return {
        type: 'circle',
        id: `handle ${at}`,
        x: left,
        y: top,
        z: 100,
        shape: { cx: 0, cy: 0, r: 6 },
        style: { fill: this.#colour('surface'), stroke: this.#colour('clay'), lineWidth: 2.5 },
        cursor: sideways ? 'ew-resize' : 'move',
        draggable: sideways ? 'horizontal' : true,
        ondragstart: () => {
          this.#held = true;
          this.dragging.emit(true);
        },
        ondrag: onDrag,
        ondragend: () => {
          this.#held = false;
          this.dragging.emit(false);
          this.#place(this.handles());
        },
      };
    });
    chart.setOption({ graphic: { elements } }, { replaceMerge: ['graphic'] });
    // A canvas has no elements: who looks for a dot, such as a test, finds its place here in pixels of the chart.
    this.box().nativeElement.dataset['handles'] = JSON.stringify(elements.map(({ x, y }) => ({ x, y })));
  }

  #tell(at: number, { x, y }: { x: number; y: number }): void {
    const place = this.#placeOf([x, y]);
    if (!place) return;
    const waits = this.#move !== null;
    this.#move = { ...place, at };
    if (waits) return;
    requestAnimationFrame(() => {
      if (this.#move && !this.#gone) this.dragged.emit(this.#move);
      this.#move = null;
    });
  }
}
