import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap';
import { placesOf, requestSteps, type DataTable, type Script } from '@sturdy/core';

/** What the tester chose: a column, and the places where it is sent. */
export interface BindChoice {
  places: { step: string; place: string }[];
  table: DataTable;
  column: string;
}

/** Asks which column replaces a recorded value, with every place where it is sent, ticked. */
@Component({
  selector: 'app-bind-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `<div class="modal-header">
      <h2 class="m-0">Take “{{ short() }}” from data</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      @if (tables().length === 0) {
        <p>There is no data table yet. Import a CSV file or generate rows first.</p>
        <a class="act main" routerLink="/data" (click)="modal.dismiss()">Open the data</a>
      } @else {
        <label class="field mb-3"
          >Column
          <select #choice (change)="chosen.set(+choice.value)">
            @for (one of columns(); track $index) {
              <option [value]="$index">
                {{ one.table.name }} · {{ one.column }} ({{ one.table.rowCount - one.table.spentCount }} free rows)
              </option>
            }
          </select></label
        >
        <b class="small">It is sent at {{ places().length }} {{ places().length === 1 ? 'place' : 'places' }}</b>
        @for (place of places(); track $index) {
          <label class="d-flex gap-2 align-items-center mono"
            ><input type="checkbox" [checked]="!left().has($index)" (change)="toggle($index)" /> step {{ place.number }}, {{ place.name }} ·
            {{ place.place }}</label
          >
        }
        <p class="muted small mt-3 mb-0">
          Every virtual user gets its own row, and no row is dealt twice. Places with another wrapping (JSON inside a form, percent signs)
          are found too.
        </p>
      }
    </div>
    <div class="modal-footer">
      <button class="act" (click)="modal.dismiss()">Cancel</button>
      <button class="act main" (click)="done()" [disabled]="columns().length === 0 || left().size === places().length">
        Take it from data
      </button>
    </div>`,
})
export class BindDialog {
  readonly modal = inject(NgbActiveModal);
  readonly script = signal<Script | null>(null);
  readonly value = signal('');
  readonly tables = signal<readonly DataTable[]>([]);
  readonly chosen = signal(0);
  readonly left = signal<ReadonlySet<number>>(new Set());
  readonly short = computed(() => (this.value().length > 40 ? `${this.value().slice(0, 40)}…` : this.value()));
  readonly columns = computed(() => this.tables().flatMap((table) => table.columns.map((column) => ({ table, column }))));
  readonly places = computed(() => {
    const script = this.script();
    if (!script) return [];
    const names = new Map(requestSteps(script).map(({ step }) => [step.id, step.name]));
    return placesOf(script, this.value()).map((one) => ({ ...one, name: names.get(one.step) ?? '' }));
  });

  toggle(index: number): void {
    const next = new Set(this.left());
    if (!next.delete(index)) next.add(index);
    this.left.set(next);
  }

  done(): void {
    const chosen = this.columns()[this.chosen()];
    if (!chosen) return;
    const choice: BindChoice = {
      ...chosen,
      places: this.places()
        .filter((_, index) => !this.left().has(index))
        .map(({ step, place }) => ({ step, place })),
    };
    this.modal.close(choice);
  }
}
