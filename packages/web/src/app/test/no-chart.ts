import { ChangeDetectionStrategy, Component, input } from '@angular/core';

/** In place of a chart: a canvas is not there in a test. */
@Component({ selector: 'app-chart', changeDetection: ChangeDetectionStrategy.OnPush, template: '' })
export class NoChart {
  readonly options = input<unknown>();
  readonly label = input('');
}
