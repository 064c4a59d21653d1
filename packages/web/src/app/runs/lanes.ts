import { ChangeDetectionStrategy, Component, computed, input, signal, type OnDestroy } from '@angular/core';
import { Chart } from '../shared/chart';
import { laneMargins, lanesOptions, lanesEnd, toldAt, type LanesView } from '@sturdy/core';

/** Lines that stand below each other beside the cursor; more are put into a second column. */
const mostInAColumn = 14;

/**
 * The lanes of a run with one cursor through all of them. The cursor is no part of the chart: a chart of thirty lines takes longer to draw
 * than a frame lasts.
 */
@Component({
  selector: 'app-lanes',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Chart],
  template: `<app-chart [options]="options()" label="Virtual users, transactions, response time, failures and hosts over time" />
    @if (cursor(); as at) {
      <i class="cursor" [style.transform]="'translateX(' + at.x + 'px)'"></i>
      <dl
        class="told"
        [class.wide]="told().length > mostInAColumn"
        [class.left]="at.flips"
        [style.transform]="'translate(' + at.x + 'px, ' + at.y + 'px)'"
      >
        @for (line of told(); track $index) {
          <div>
            <dt>{{ line.name }}</dt>
            <dd>{{ line.text }}</dd>
          </div>
        }
      </dl>
    }`,
  styles: `
    :host {
      display: block;
      position: relative;
      width: 100%;
      height: 100%;
    }
    .cursor {
      position: absolute;
      inset: 0 auto 0 0;
      width: 1px;
      background: var(--ink-2);
      pointer-events: none;
    }
    .told {
      position: absolute;
      left: 14px;
      top: 0;
      margin: 0;
      width: max-content;
      padding: 8px 11px;
      background: var(--surface);
      border: 1px solid var(--line-strong);
      border-radius: 6px;
      font-size: 12.5px;
      pointer-events: none;
      z-index: 2;
    }
    .told.wide {
      columns: 2;
      column-gap: 18px;
    }
    .told.left {
      left: auto;
      right: calc(100% + 14px);
    }
    .told div {
      display: flex;
      gap: 12px;
      justify-content: space-between;
      break-inside: avoid;
    }
    dt {
      font-weight: 400;
      color: var(--ink-2);
    }
    .told div:first-child dt {
      font-weight: 600;
      color: var(--ink);
    }
    dd {
      margin: 0;
      font-variant-numeric: tabular-nums;
    }
  `,
  host: { '(pointermove)': 'move($event)', '(pointerleave)': 'leave()' },
})
export class Lanes implements OnDestroy {
  readonly view = input.required<LanesView>();
  readonly mostInAColumn = mostInAColumn;
  readonly options = computed(() => {
    const view = this.view();
    return (colour: (name: string) => string) => lanesOptions(view, colour);
  });
  readonly cursor = signal<{ x: number; y: number; flips: boolean; second: number } | null>(null);
  readonly told = computed(() => {
    const at = this.cursor();
    return at ? toldAt(this.view(), at.second) : [];
  });
  #frame = 0;

  ngOnDestroy(): void {
    cancelAnimationFrame(this.#frame);
  }

  /** Follows the pointer, once for each frame at most. */
  move(event: PointerEvent): void {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    cancelAnimationFrame(this.#frame);
    this.#frame = requestAnimationFrame(() => {
      const within = (x - laneMargins.left) / (box.width - laneMargins.left - laneMargins.right);
      const isOutside = within < 0 || within > 1 || this.view().points.length === 0;
      this.cursor.set(isOutside ? null : { x, y: y + 12, flips: within > 0.6, second: within * lanesEnd(this.view()) });
    });
  }

  leave(): void {
    cancelAnimationFrame(this.#frame);
    this.cursor.set(null);
  }
}
