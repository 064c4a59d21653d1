import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { exploreMargins, laneOptions, type LaneView } from '@sturdy/core';
import { Chart } from '../shared/chart';

/** A drag that is shorter, in pixels, is a click. */
const leastDrag = 5;

/** One lane with the cursor that all lanes share; a drag chooses a stretch, a click a second. */
@Component({
  selector: 'app-lane-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Chart],
  template: `<app-chart [options]="options()" [label]="label()" />
    @if (cursorX(); as x) {
      <i class="cursor" [style.left]="x"></i>
    }
    @if (dragged(); as box) {
      <i class="drag" [style.left.px]="box.left" [style.width.px]="box.width"></i>
    }`,
  styles: `
    :host {
      display: block;
      position: relative;
      width: 100%;
      height: 100%;
      cursor: crosshair;
      touch-action: none;
    }

    i {
      position: absolute;
      top: 0;
      bottom: 0;
      pointer-events: none;
    }

    .cursor {
      width: 1px;
      background: var(--ink-2);
    }

    .drag {
      background: var(--clay);
      opacity: 0.18;
    }
  `,
  host: {
    '(pointerdown)': 'down($event)',
    '(pointermove)': 'move($event)',
    '(pointerup)': 'up($event)',
    '(pointerleave)': 'pointed.emit(null)',
  },
})
export class LaneChart {
  readonly view = input.required<LaneView>();
  readonly label = input.required<string>();
  /** Second at which the cursor stands; null for none. */
  readonly cursor = input<number | null>(null);
  /** The second that is pointed at; null once the pointer has left. */
  readonly pointed = output<number | null>();
  readonly chosen = output<number>();
  readonly stretched = output<{ fromSecond: number; toSecond: number }>();
  readonly options = computed(() => {
    const view = this.view();
    return (colour: (name: string) => string) => laneOptions(view, colour);
  });
  readonly #width = signal(0);
  readonly #drag = signal<{ from: number; to: number } | null>(null);
  readonly dragged = computed(() => {
    const drag = this.#drag();
    return drag && Math.abs(drag.to - drag.from) >= leastDrag
      ? { left: Math.min(drag.from, drag.to), width: Math.abs(drag.to - drag.from) }
      : null;
  });
  /** Where the cursor stands, as a length in CSS; null where it does not stand within the lane. */
  readonly cursorX = computed(() => {
    const [cursor, { fromSecond, toSecond }] = [this.cursor(), this.view()];
    if (cursor === null || cursor < fromSecond || cursor > toSecond) return null;
    const { left, right } = exploreMargins;
    return `calc(${left}px + (100% - ${left + right}px) * ${(cursor - fromSecond) / (toSecond - fromSecond)})`;
  });

  down(event: PointerEvent): void {
    const x = this.#xOf(event);
    if (event.button === 0) this.#drag.set({ from: x, to: x });
  }
  move(event: PointerEvent): void {
    const x = this.#xOf(event);
    this.#drag.update((drag) => drag && { ...drag, to: x });
    this.pointed.emit(this.#secondOf(x));
  }
  up(event: PointerEvent): void {
    const drag = this.#drag();
    this.#drag.set(null);
    if (!drag) return;
    const [from, to] = [drag.from, this.#xOf(event)].sort((left, right) => left - right).map((x) => this.#secondOf(x));
    if (from === undefined || to === undefined) return;
    if (Math.abs(this.#xOf(event) - drag.from) < leastDrag) this.chosen.emit(Math.floor(from));
    else this.stretched.emit({ fromSecond: Math.floor(from), toSecond: Math.max(Math.floor(from) + 2, Math.ceil(to)) });
  }

  #xOf({ clientX, currentTarget }: PointerEvent): number {
    const box = (currentTarget as HTMLElement).getBoundingClientRect();
    this.#width.set(box.width);
    return clientX - box.left;
  }
  #secondOf(x: number): number {
    const { fromSecond, toSecond } = this.view();
    const within = (x - exploreMargins.left) / Math.max(1, this.#width() - exploreMargins.left - exploreMargins.right);
    return fromSecond + Math.min(1, Math.max(0, within)) * (toSecond - fromSecond);
  }
}
