import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { DataTable, Deal } from '@sturdy/core';
import { figure } from '../shared/format';

/** How the rows of a table reach virtual users. */
@Component({
  selector: 'app-deal-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<label class="field mb-2"
      >A new row<select #when (change)="set({ when: $any(when.value) })">
        <option value="iteration" [selected]="deal().when === 'iteration'">for each iteration</option>
        <option value="user" [selected]="deal().when === 'user'">once per virtual user</option>
        <option value="run" [selected]="deal().when === 'run'">one for the whole run</option>
        <option value="use" [selected]="deal().when === 'use'">for each use: each request that sends it</option>
      </select></label
    >
    <label class="field mb-2"
      >A dealt row<select #use (change)="set({ use: $any(use.value) })">
        <option value="once" [selected]="deal().use === 'once'">is spent for good</option>
        <option value="exclusive" [selected]="deal().use === 'exclusive'">is held, and free after the run</option>
        <option value="again" [selected]="deal().use === 'again'">may be dealt again</option>
      </select></label
    >
    <label class="field mb-2"
      >Order<select #order (change)="set({ order: $any(order.value) })">
        <option value="listed" [selected]="deal().order === 'listed'">as listed</option>
        <option value="shuffled" [selected]="deal().order === 'shuffled'">shuffled, by the seed of the workload</option>
        <option value="random" [selected]="deal().order === 'random'">at random</option>
      </select></label
    >
    <label class="field mb-2"
      >When rows run out<select #empty (change)="set({ whenEmpty: $any(empty.value) })">
        <option value="stop-user" [selected]="deal().whenEmpty === 'stop-user'">stop that user</option>
        <option value="end-run" [selected]="deal().whenEmpty === 'end-run'">end the run</option>
        <option value="start-over" [selected]="deal().whenEmpty === 'start-over'" [disabled]="deal().use !== 'again'">start over</option>
      </select></label
    >
    <p class="muted small mb-2">
      {{ told() }} {{ figure(table().spentCount) }} of {{ figure(table().rowCount) }} rows are
      {{ deal().use === 'exclusive' ? 'held' : 'spent' }}.
    </p>
    <div class="meter" role="img" [attr.aria-label]="table().spentCount + ' of ' + table().rowCount + ' rows spent'">
      <i [style.width.%]="table().rowCount === 0 ? 0 : (100 * table().spentCount) / table().rowCount"></i>
    </div>`,
  styles: `
    .meter {
      height: 8px;
      border-radius: 4px;
      background: var(--sunk);
      overflow: hidden;
    }
    .meter i {
      display: block;
      height: 100%;
      background: var(--s4);
    }
  `,
})
export class DealCard {
  readonly table = input.required<DataTable>();
  readonly changed = output<Deal>();
  readonly deal = computed(() => this.table().deal);
  readonly figure = figure;
  readonly told = computed(() => {
    const { use, when } = this.deal();
    if (use === 'again') return 'Rows may be dealt to several users, and nothing is spent.';
    if (use === 'exclusive') return 'Nobody else has a row while a run or rehearsal holds it.';
    return when === 'run'
      ? 'All users of a run get the same row, and it is spent.'
      : 'No two users, generators or runs ever get the same row.';
  });

  set(change: Partial<Deal>): void {
    const next = { ...this.deal(), ...change };
    // Only rows that may be dealt again can start over.
    if (next.use !== 'again' && next.whenEmpty === 'start-over') next.whenEmpty = 'stop-user';
    this.changed.emit(next);
  }
}
