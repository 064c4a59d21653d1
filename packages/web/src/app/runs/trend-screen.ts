import { ChangeDetectionStrategy, Component, effect, inject, input, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { trendOptions, type Trend } from '@sturdy/core';
import { Api, problemOf } from '../shared/api';
import { Chart } from '../shared/chart';
import { VerdictShape } from '../shared/verdict-shape';

/** Each transaction over all runs of a workload, with the first run that is worse than chance. */
@Component({
  selector: 'app-trend-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Chart, RouterLink, VerdictShape],
  template: `<div class="page">
    <div class="page-head">
      <h1>Trend{{ name() === '' ? '' : ' of ' + name() }}</h1>
      <span class="muted small"
        >p95 over the hold of each run; bars: the range in which it lies with 95 % confidence; diamond: first worse than chance</span
      >
      <span class="grow"></span>
      <a class="act" [routerLink]="['/workloads', id()]"><i class="bi bi-people" aria-hidden="true"></i>Open the workload</a>
    </div>
    @if (problem(); as sentence) {
      <p class="note bad" role="alert">{{ sentence }}</p>
    } @else if (trend(); as shown) {
      @if (shown.runs.length < 2) {
        <div class="card-box empty">
          A trend needs two runs of this workload that came to their end; there
          {{ shown.runs.length === 1 ? 'is one' : 'is none' }}.<br /><a class="act main" [routerLink]="['/workloads', id()]">Start a run</a>
        </div>
      } @else {
        <div class="wide-cards">
          @for (transaction of shown.transactions; track transaction.name) {
            <section class="card-box pad">
              <h2 class="mt-0"><app-verdict [verdict]="transaction.firstWorse === null ? 'passed' : 'failed'" /> {{ transaction.name }}</h2>
              <p class="small mb-1">
                {{ transaction.sentence }}
                @if (transaction.firstWorse; as worse) {
                  <a routerLink="/runs/compare" [queryParams]="{ runs: pair(worse) }">Compare it with the one before</a>
                }
              </p>
              <div class="trend">
                <app-chart [options]="chart(transaction)" [label]="'p95 of ' + transaction.name + ' over the runs'" />
              </div>
            </section>
          }
        </div>
      }
    } @else {
      <p class="muted" role="status">The runs are being read…</p>
    }
  </div>`,
  styles: `
    .trend {
      position: relative;
      height: 220px;
    }
    .trend app-chart {
      position: absolute;
      inset: 0;
    }
  `,
})
export class TrendScreen {
  readonly #api = inject(Api);
  readonly id = input.required<string>();
  readonly trend = signal<Trend | null>(null);
  readonly problem = signal<string | null>(null);
  readonly name = signal('');

  constructor() {
    effect((whenGone) => {
      const asked = this.#api.trend(this.id()).subscribe({
        next: (trend) => {
          this.trend.set(trend);
          this.name.set(trend.runs.at(-1)?.workload ?? '');
        },
        error: (error: unknown) => {
          this.problem.set(problemOf(error));
        },
      });
      whenGone(() => {
        asked.unsubscribe();
      });
    });
  }

  chart(transaction: Trend['transactions'][number]) {
    const runs = this.trend()?.runs ?? [];
    return (colour: (name: string) => string) => trendOptions({ runs }, transaction, colour);
  }
  /** The run before one and the one itself, as the address of a comparison has them. */
  pair(at: number): string {
    const runs = this.trend()?.runs ?? [];
    return [runs[at - 1]?.id, runs[at]?.id].join(',');
  }
}
