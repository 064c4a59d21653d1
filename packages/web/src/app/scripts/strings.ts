import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { hue, hueNames } from '../shared/format';
import type { DrawnString, Sight } from './string-layout';

const gutter = 176;
const laneX = (lane: number): number => gutter - 26 - lane * 29;
/** Each hue has a dash of its own as well, so that no string is told by colour alone. */
const dashes = ['', '7 3', '2 3', '10 3 2 3', '', '5 2', '1 3', '12 4'];

/** The strings of a script: for each handoff a thread from its origin to every use; a stale one is snapped. */
@Component({
  selector: 'app-strings',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<svg
    [attr.width]="gutter"
    [attr.height]="height()"
    role="group"
    aria-label="Strings: handoffs from their origin to their uses"
  >
    @for (thread of threads(); track thread.id) {
      <g
        class="thread"
        [class.faded]="isolated() !== null && isolated() !== thread.id"
        [class.on]="isolated() === thread.id"
        tabindex="0"
        role="button"
        [attr.aria-label]="thread.label"
        (click)="chosen.emit(thread.id)"
        (keydown.enter)="chosen.emit(thread.id)"
        (mouseenter)="hovered.emit(thread.id)"
        (mouseleave)="hovered.emit(null)"
        (focus)="hovered.emit(thread.id)"
        (blur)="hovered.emit(null)"
      >
        <title>{{ thread.label }}</title>
        <path [attr.d]="thread.trunk" [attr.stroke]="thread.colour" [attr.stroke-dasharray]="thread.dash" class="line" />
        <path [attr.d]="thread.trunk" class="touch" />
        @for (use of thread.uses; track $index) {
          <path
            [attr.d]="use.line"
            [attr.stroke]="use.stale ? 'var(--red)' : thread.colour"
            [attr.stroke-dasharray]="use.stale ? '3 3' : thread.dash"
            class="line"
          />
          @if (use.stale) {
            <path [attr.d]="use.snap" stroke="var(--red)" class="line heavy" />
          } @else {
            <path [attr.d]="use.head" [attr.fill]="thread.colour" />
          }
        }
        @for (again of thread.again; track $index) {
          <path [attr.d]="again.line" [attr.stroke]="thread.colour" [attr.stroke-dasharray]="thread.dash" class="line" />
          <circle cx="172" [attr.cy]="again.y" r="2.6" fill="var(--paper)" [attr.stroke]="thread.colour" stroke-width="1.6" />
        }
        <circle cx="172" [attr.cy]="thread.originY" r="3.6" fill="var(--paper)" [attr.stroke]="thread.colour" stroke-width="2" />
      </g>
    }
    @for (thread of threads(); track thread.id) {
      @if (isolated() === thread.id || (isolated() === null && thread.labelled)) {
        <g [attr.transform]="'translate(' + thread.labelX + ' ' + thread.labelY + ')'" class="label" aria-hidden="true">
          <rect [attr.x]="-thread.labelWidth / 2" y="-9" [attr.width]="thread.labelWidth" height="17" rx="8" [attr.fill]="thread.colour" />
          <text text-anchor="middle" y="4">{{ thread.name }}</text>
        </g>
      }
    }
  </svg>`,
  styles: `
    :host {
      position: absolute;
      left: 0;
      top: 0;
    }
    .line {
      fill: none;
      stroke-width: 1.7;
    }
    .heavy {
      stroke-width: 2;
      stroke-linecap: round;
    }
    .touch {
      fill: none;
      stroke: transparent;
      stroke-width: 9;
      pointer-events: stroke;
    }
    .thread {
      cursor: pointer;
      outline: none;
    }
    .thread.faded {
      opacity: 0.16;
    }
    .thread.on .line {
      stroke-width: 2.6;
    }
    .thread:focus-visible .line {
      stroke-width: 3;
    }
    .label {
      pointer-events: none;
    }
    text {
      font: 600 11px var(--ui);
      fill: var(--surface);
    }
  `,
})
export class Strings {
  readonly strings = input.required<readonly DrawnString[]>();
  readonly height = input.required<number>();
  /** The part that is in sight, in px from the top: a value that each answer gives anew has as many ends as there are steps. */
  readonly sight = input<Sight>({ top: -Infinity, bottom: Infinity });
  /** Steps that sent a stale value of a handoff: "handoff step". */
  readonly stale = input<ReadonlySet<string>>(new Set());
  readonly isolated = input<string | null>(null);
  readonly chosen = output<string>();
  readonly hovered = output<string | null>();
  readonly gutter = gutter;
  readonly threads = computed(() => apart(this.strings().map((drawnString) => draw(drawnString, this.stale(), this.sight()))));
}

type Thread = ReturnType<typeof draw>;

const labelHeight = 19;

/** Labels that would lie on each other are moved down until they are free. */
function apart(threads: readonly Thread[]): Thread[] {
  const placed: Thread[] = [];
  return threads.map((thread) => {
    if (!thread.labelled) return thread;
    const free = { ...thread };
    const covers = (otherThread: Thread) =>
      Math.abs(otherThread.labelY - free.labelY) < labelHeight &&
      Math.abs(otherThread.labelX - free.labelX) < (otherThread.labelWidth + free.labelWidth) / 2;
    while (placed.some(covers)) free.labelY += labelHeight;
    placed.push(free);
    return free;
  });
}

function draw({ handoff, hue: index, lane, originY, againY, uses }: DrawnString, stale: ReadonlySet<string>, sight: Sight) {
  const inSight = (y: number): boolean => y >= sight.top && y <= sight.bottom;
  const x = laneX(lane);
  const y0 = originY + 5;
  const lowest = (list: readonly number[]): number => list.reduce((most, value) => Math.max(most, value), -Infinity);
  const last = Math.max(y0 + 14, lowest(againY) - 4, lowest(uses.map((use) => use.y)) - 12);
  const name = handoff.name;
  const labelWidth = Math.min(110, name.length * 6.4 + 14);
  return {
    id: handoff.id,
    name: name.length > 15 ? `${name.slice(0, 14)}…` : name,
    label: `${name}, ${hueNames[index % 8] ?? ''} string, ${uses.length} ${uses.length === 1 ? 'use' : 'uses'}${againY.length > 0 ? `, read again at ${againY.length} more` : ''}, ${handoff.evidence}`,
    colour: hue(index),
    dash: dashes[index % 8] ?? '',
    originY: y0,
    trunk: `M168 ${y0} C ${x + 8} ${y0}, ${x} ${y0 + 3}, ${x} ${y0 + 13} L ${x} ${last}`,
    again: againY.filter(inSight).map((y) => ({ y: y + 5, line: `M${x} ${y - 4} C ${x} ${y + 5}, ${x + 8} ${y + 5}, 168 ${y + 5}` })),
    uses: uses
      .filter((use) => inSight(use.y))
      .map(({ step, y }) => {
        const to = y - 4;
        return {
          line: `M${x} ${to - 8} C ${x} ${to}, ${x + 8} ${to}, 167 ${to}`,
          head: `M166 ${to - 3} l5 3 l-5 3`,
          snap: `M${x} ${to - 10} l-5 5 M${x} ${to - 10} l5 3`,
          stale: stale.has(`${handoff.id} ${step}`),
        };
      }),
    labelX: Math.min(gutter - labelWidth / 2 - 2, Math.max(labelWidth / 2 + 2, x - 4)),
    labelY: y0 + 26,
    labelWidth,
    // Short strings carry no label of their own until they are looked at; the long ones are what one searches for.
    labelled: uses.length >= 3 || last - y0 > 110,
  };
}
