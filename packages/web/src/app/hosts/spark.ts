import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

/** The last values of a figure as a small line; what is missing is a gap. */
@Component({
  selector: 'app-spark',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<svg viewBox="0 0 120 24" preserveAspectRatio="none" aria-hidden="true">
    @for (line of lines(); track $index) {
      <polyline [attr.points]="line" />
    }
  </svg>`,
  styles: `
    svg {
      width: 120px;
      height: 24px;
      display: block;
    }
    polyline {
      fill: none;
      stroke: var(--s0);
      stroke-width: 1.5;
      vector-effect: non-scaling-stroke;
    }
  `,
})
export class Spark {
  readonly values = input.required<readonly (number | null)[]>();
  /** How many values fill the width. */
  readonly count = input(60);
  readonly lines = computed(() => {
    const values = this.values();
    const most = Math.max(1e-9, ...values.map((value) => value ?? 0));
    const lines: string[] = [];
    let line: string[] = [];
    const from = this.count() - values.length;
    values.forEach((value, at) => {
      if (value === null) {
        if (line.length > 0) lines.push(line.join(' '));
        line = [];
      } else line.push(`${((from + at) / (this.count() - 1)) * 120},${22 - (value / most) * 20}`);
    });
    return line.length > 0 ? [...lines, line.join(' ')] : lines;
  });
}
