import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import type { DataTable, DryIteration, Workload } from '@sturdy/core';
import { Api, problemOf } from '../shared/api';
import { figure } from '../shared/format';

/** Shows who would get which row in the first iterations of a run, before it is started. */
@Component({
  selector: 'app-dry-deal-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="modal-header">
      <h2 class="m-0">Who would get which row</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body" tabindex="0">
      @if (problem(); as sentence) {
        <p class="note bad" role="alert">{{ sentence }}</p>
      } @else if (dealt(); as list) {
        <table class="grid" aria-label="Rows of the first iterations">
          <thead>
            <tr>
              <th class="num">About, s</th>
              <th class="num">User</th>
              <th class="num">Iteration</th>
              @for (id of columns(); track id) {
                <th>{{ nameOf(id) }}</th>
              }
            </tr>
          </thead>
          <tbody>
            @for (dealtRow of list; track $index) {
              <tr>
                <td class="num">{{ figure(dealtRow.atSeconds, 1) }}</td>
                <td class="num">{{ dealtRow.user }}</td>
                <td class="num">{{ dealtRow.iteration }}</td>
                @for (id of columns(); track id) {
                  <td>
                    @for (row of rowsOf(dealtRow, id); track $index) {
                      <div>
                        <span class="muted small">row {{ row.row }}</span> <span class="mono">{{ say(row.values) }}</span>
                      </div>
                    }
                    @if (further(dealtRow, id); as count) {
                      <div class="muted small">and {{ count }} more</div>
                    }
                    @if (emptied(dealtRow, id); as what) {
                      <b class="gone">no row left: {{ what === 'end-run' ? 'the run ends' : 'this user stops' }}</b>
                    }
                  </td>
                }
              </tr>
            } @empty {
              <tr>
                <td colspan="3">No iteration would start.</td>
              </tr>
            }
          </tbody>
        </table>
      } @else {
        <p class="muted">Dealing…</p>
      }
    </div>
    <div class="modal-footer">
      <span class="muted small me-auto"
        >This takes no row. With several generators each gets rows in blocks, so users may get other rows than these; no row is dealt twice
        in any case.</span
      >
      <button class="act main" (click)="modal.close()">Close</button>
    </div>`,
  styles: `
    .gone {
      color: var(--red);
    }
  `,
})
export class DryDealDialog {
  readonly #api = inject(Api);
  readonly modal = inject(NgbActiveModal);
  readonly dealt = signal<readonly DryIteration[] | null>(null);
  readonly problem = signal<string | null>(null);
  readonly #tables = signal<readonly DataTable[]>([]);
  readonly columns = computed(() => [...new Set(this.dealt()?.flatMap((iteration) => iteration.takes.map((take) => take.table)))]);
  readonly figure = figure;

  load(workload: Workload, tables: readonly DataTable[]): void {
    this.#tables.set(tables);
    this.#api.dryDeal(workload).subscribe({
      next: (dealt) => {
        this.dealt.set(dealt);
      },
      error: (error: unknown) => {
        this.problem.set(problemOf(error));
      },
    });
  }
  nameOf(id: string): string {
    return this.#tables().find((table) => table.id === id)?.name ?? 'a table';
  }
  #take = (iteration: DryIteration, id: string) => iteration.takes.find((take) => take.table === id);
  rowsOf = (iteration: DryIteration, id: string) => this.#take(iteration, id)?.rows ?? [];
  further = (iteration: DryIteration, id: string) => this.#take(iteration, id)?.further ?? 0;
  emptied = (iteration: DryIteration, id: string) => this.#take(iteration, id)?.empty ?? null;
  say(values: readonly string[]): string {
    const text = values.filter(Boolean).join(' · ');
    return text.length > 70 ? `${text.slice(0, 70)}…` : text;
  }
}
