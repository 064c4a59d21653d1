import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { catchError, of, switchMap } from 'rxjs';
import { actionKindOf, type UserLogEntry } from '@sturdy/core';
import { Api } from '../shared/api';
import { clock, figure } from '../shared/format';
import { ExchangeView } from './exchange-view';

/** What was captured in full of users whom somebody chose; nothing is shown where nobody did. */
@Component({
  selector: 'app-captured-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ExchangeView],
  template: `@if (entries().length > 0) {
    <section class="card-box">
      <div class="pad">
        <h2 class="m-0">Captured in full</h2>
      </div>
      <div class="list" tabindex="0" role="region" aria-label="Captured exchanges">
        @for (entry of entries(); track $index) {
          <div class="pad one">
            <div class="head">
              <span class="muted">{{ clock(entry.atMs / 1000) }} · user {{ entry.user }} · iteration {{ entry.iteration }}</span>
              <b>{{ answerWords(entry) }}</b><span>{{ figure(entry.durationMs) }} ms</span>
              <span class="mono">{{ sentWords(entry) }}</span>
              <button class="act slim" (click)="open.set(open() === $index ? null : $index)" [attr.aria-expanded]="open() === $index">
                {{ open() === $index ? 'Close' : 'Show' }}
              </button>
            </div>
            @if (entry.failure) {
              <div class="note bad mt-1">{{ entry.failure }}</div>
            }
            @if (open() === $index && entry.exchange; as exchange) {
              <app-exchange-view [exchange]="exchange" />
            }
          </div>
        }
      </div>
    </section>
  }`,
  styles: `
    .list {
      max-height: 420px;
      overflow: auto;
    }
    .one {
      border-top: 1px solid var(--line);
      overflow-wrap: anywhere;
    }
    .head {
      display: flex;
      flex-wrap: wrap;
      align-items: baseline;
      gap: 2px 10px;
    }
  `,
})
export class CapturedCard {
  readonly #api = inject(Api);
  readonly runId = input.required<string>();
  readonly open = signal<number | null>(null);
  readonly entries = toSignal(toObservable(this.runId).pipe(switchMap((id) => this.#api.captured(id).pipe(catchError(() => of([]))))), {
    initialValue: [],
  });
  answerWords({ exchange, status }: UserLogEntry): string {
    const captured = exchange?.captured;
    return (captured ? actionKindOf(captured).answerWords(captured) : status === null ? null : String(status)) ?? 'no answer';
  }
  sentWords({ exchange }: UserLogEntry): string {
    return exchange ? actionKindOf(exchange.captured).playedWords(exchange.captured) : '';
  }
  readonly clock = clock;
  readonly figure = figure;
}
