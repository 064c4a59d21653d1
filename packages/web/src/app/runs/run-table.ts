import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import type { Baseline, RunResult, RunTable, RunTableBy } from '@sturdy/core';
import { Api, problemOf } from '../shared/api';
import { figure } from '../shared/format';

const ways: { id: RunTableBy | 'all'; name: string }[] = [
  { id: 'all', name: 'together' },
  { id: 'crew', name: 'by crew' },
  { id: 'generator', name: 'by generator' },
  { id: 'phase', name: 'by phase' },
];

/** Transactions of a run and their steps: together, or taken apart. */
@Component({
  selector: 'app-run-table',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="pad d-flex align-items-center gap-3 flex-wrap">
      <h2 class="m-0">Transactions</h2>
      <div class="looks" role="group" aria-label="Figures">
        @for (way of ways; track way.id) {
          <button class="act slim" [attr.aria-pressed]="way.id === by()" (click)="by.set(way.id)">{{ way.name }}</button>
        }
      </div>
      <label class="small d-flex gap-1"><input type="checkbox" [checked]="steps()" (change)="steps.set(!steps())" /> with their steps</label
      ><span class="grow"></span>
      <span class="muted small">times in ms, busy time without pauses; percentiles by nearest rank</span>
    </div>
    @if (problem(); as sentence) {
      <p class="note bad m-2" role="alert">{{ sentence }}</p>
    }
    <div class="wide" tabindex="0" role="region" aria-label="Figures of the transactions">
      <table class="grid" aria-label="Transactions">
        <thead>
          <tr>
            <th>Transaction</th>
            <th class="num">Count</th>
            <th class="num">Errors</th>
            <th class="num">Min</th>
            <th class="num">Mean</th>
            @if (baseline(); as zero) {
              <th class="num" [title]="'The mean as a multiple of that of run ' + zero.number + ', one user alone'">× alone</th>
            }
            <th class="num">Max</th>
            <th class="num">Deviation</th>
            <th class="num">p50</th>
            <th class="num">p90</th>
            <th class="num">p95</th>
            <th class="num">p99</th>
            <th class="num">First byte</th>
            <th class="num">Per second</th>
            <th class="num">kB in</th>
            <th class="num">kB out</th>
          </tr>
        </thead>
        <tbody>
          @for (group of groups(); track group.group) {
            @if (group.group !== '') {
              <tr class="group">
                <th [attr.colspan]="baseline() ? 16 : 15" scope="rowgroup">{{ group.group }}</th>
              </tr>
            }
            @for (row of group.rows; track row.transaction + row.step) {
              @if (row.step === null || steps()) {
                <tr [class.sub]="row.step !== null">
                  <td [class.mono]="row.step !== null">{{ row.name }}</td>
                  <td class="num">{{ figure(row.summary.count) }}</td>
                  <td class="num">{{ figure(row.summary.errors) }}</td>
                  <td class="num">{{ figure(row.summary.minMs) }}</td>
                  <td class="num">{{ figure(row.summary.meanMs) }}</td>
                  @if (baseline()) {
                    <td class="num">{{ multiple(row) }}</td>
                  }
                  <td class="num">{{ figure(row.summary.maxMs) }}</td>
                  <td class="num">{{ figure(row.summary.deviationMs, 1) }}</td>
                  <td class="num">{{ figure(row.summary.p50Ms) }}</td>
                  <td class="num">{{ figure(row.summary.p90Ms) }}</td>
                  <td class="num">{{ figure(row.summary.p95Ms) }}</td>
                  <td class="num">{{ figure(row.summary.p99Ms) }}</td>
                  <td class="num">{{ figure(row.summary.firstByteMs) }}</td>
                  <td class="num">{{ figure(row.summary.throughput, 2) }}</td>
                  <td class="num">{{ figure(row.summary.bytesIn / 1000) }}</td>
                  <td class="num">{{ figure(row.summary.bytesOut / 1000) }}</td>
                </tr>
              }
            } @empty {
              <tr>
                <td [attr.colspan]="baseline() ? 16 : 15" class="muted">
                  No transaction ended {{ group.group === '' ? 'within the hold' : 'here' }}.
                </td>
              </tr>
            }
          }
        </tbody>
      </table>
    </div>`,
  styles: `
    .wide {
      overflow-x: auto;
    }
    .wide td,
    .wide th {
      padding-left: 6px;
      padding-right: 6px;
    }
    .group th {
      background: var(--sunk);
      color: var(--ink);
    }
  `,
})
export class RunTableCard {
  readonly #api = inject(Api);
  readonly result = input.required<RunResult>();
  /** The zero line; with it each transaction is shown as a multiple of what one user alone met. */
  readonly baseline = input<Baseline | null>(null);
  readonly ways = ways;
  readonly by = signal<RunTableBy | 'all'>('all');
  readonly steps = signal(false);
  readonly groups = signal<RunTable>([]);
  readonly problem = signal<string | null>(null);
  readonly figure = figure;
  readonly #alone = computed(() => new Map(this.baseline()?.transactions.map(({ name, meanMs }) => [name, meanMs])));

  /** The mean of a transaction as a multiple of the zero line; nothing for steps, and where the zero line lacks it. */
  multiple({ step, name, summary }: RunTable[number]['rows'][number]): string {
    const alone = step === null ? this.#alone().get(name) : undefined;
    return alone === undefined || alone === 0 ? '' : figure(summary.meanMs / alone, 1);
  }

  constructor() {
    effect((whenGone) => {
      const [{ run, rows }, by] = [this.result(), this.by()];
      this.problem.set(null);
      if (by === 'all') {
        this.groups.set([{ group: '', rows }]);
        return;
      }
      const asked = this.#api.runTable(run.id, by).subscribe({
        next: (groups) => {
          this.groups.set(groups);
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
}
