import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { RequestExchange } from '@sturdy/core';
import { figure } from '../shared/format';

const phases = [
  { id: 'blocked', name: 'blocked', colour: 'var(--s7)' },
  { id: 'dns', name: 'name looked up', colour: 'var(--s3)' },
  { id: 'connect', name: 'connecting', colour: 'var(--s1)' },
  { id: 'tls', name: 'TLS', colour: 'var(--s2)' },
  { id: 'send', name: 'sending', colour: 'var(--s4)' },
  { id: 'wait', name: 'waiting', colour: 'var(--s0)' },
  { id: 'receive', name: 'receiving', colour: 'var(--s6)' },
] as const;

/** The phases of an exchange as a bar, with their figures. */
@Component({
  selector: 'app-timing-bar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="bar" aria-hidden="true">
      @for (phase of measured(); track phase.id) {
        <i [style.flex-grow]="phase.ms" [style.background]="phase.colour"></i>
      }
    </div>
    <table class="grid">
      <tbody>
        @for (phase of all(); track phase.id) {
          <tr>
            <td><span class="swatch" [style.background]="phase.colour"></span>{{ phase.name }}</td>
            <td class="num">{{ phase.ms < 0 ? 'not measured' : figure(phase.ms, 1) + ' ms' }}</td>
          </tr>
        }
        <tr>
          <td><b>in all</b></td>
          <td class="num">
            <b>{{ figure(exchange().durationMs, 1) }} ms</b>
          </td>
        </tr>
      </tbody>
    </table>`,
  styles: `
    .bar {
      display: flex;
      height: 18px;
      border-radius: 4px;
      overflow: hidden;
      background: var(--sunk);
      margin-bottom: 8px;
    }
    .bar i {
      min-width: 1px;
    }
    .swatch {
      display: inline-block;
      width: 10px;
      height: 10px;
      border-radius: 2px;
      margin-right: 8px;
    }
  `,
})
export class TimingBar {
  readonly exchange = input.required<RequestExchange>();
  readonly all = computed(() => phases.map((phase) => ({ ...phase, ms: this.exchange().timings[phase.id] })));
  readonly measured = computed(() => this.all().filter((phase) => phase.ms > 0));
  readonly figure = figure;
}
