import { ChangeDetectionStrategy, Component, effect, ElementRef, inject, input, type OnDestroy, viewChild } from '@angular/core';
import type { EChartsCoreOption, EChartsType } from 'echarts/core';
import { Theme } from '../frame/theme';

/** Loaded when the first chart is shown, so that the charts stay out of the first bundle. */
const loadCharts = () => import('./echarts').then((loaded) => loaded.init);

/** A chart that fills its host. `options` is asked again when the theme changes, because canvases know no CSS. */
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
  readonly box = viewChild.required<ElementRef<HTMLElement>>('box');
  #chart: EChartsType | null = null;
  #observer: ResizeObserver | null = null;
  #gone = false;

  constructor() {
    effect(() => {
      this.#theme.dark();
      const options = this.options();
      void this.#draw(options);
    });
  }

  ngOnDestroy(): void {
    this.#gone = true;
    this.#observer?.disconnect();
    this.#chart?.dispose();
  }

  async #draw(options: (colour: (name: string) => string) => EChartsCoreOption): Promise<void> {
    const init = await loadCharts();
    if (this.#gone) return;
    const element = this.box().nativeElement;
    if (!this.#chart) {
      this.#chart = init(element);
      this.#observer = new ResizeObserver(() => this.#chart?.resize());
      this.#observer.observe(element);
    }
    const styles = getComputedStyle(document.documentElement);
    this.#chart.setOption(
      options((name) => styles.getPropertyValue(`--${name}`).trim()),
      { replaceMerge: ['series'] },
    );
  }
}
