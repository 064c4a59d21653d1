import { ChangeDetectionStrategy, Component, model, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { TransactionStart } from '@sturdy/core';

/** Transactions that are proposed for a take in which nobody marked any: accepted as they are, renamed, or joined. */
@Component({
  selector: 'app-proposed-transactions',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule],
  template: `<h2>Transactions</h2>
    <p class="muted small">
      Nobody marked transactions in this take. These are proposed from its pauses, pages and changes; the script gets them as they stand
      here.
    </p>
    <table class="grid card-box" aria-label="Proposed transactions">
      <thead>
        <tr>
          <th scope="col">From no.</th>
          <th scope="col">Name</th>
          <th scope="col"><span class="visually-hidden">What can be done</span></th>
        </tr>
      </thead>
      <tbody>
        @for (start of starts(); track start.n; let first = $first) {
          <tr>
            <td class="num">
              <button type="button" class="act slim" (click)="shown.emit(start.n)" [attr.aria-label]="'Show exchange ' + start.n">
                {{ start.n }}
              </button>
            </td>
            <td>
              <label class="field"
                ><span class="visually-hidden">Name of the transaction from exchange {{ start.n }}</span
                ><input maxlength="120" [ngModel]="start.name" (ngModelChange)="rename(start.n, $event)"
              /></label>
            </td>
            <td>
              @if (!first) {
                <button
                  type="button"
                  class="act slim"
                  (click)="join(start.n)"
                  [attr.aria-label]="'Join ' + start.name + ' with the start before'"
                >
                  Join with the one before
                </button>
              }
            </td>
          </tr>
        }
      </tbody>
    </table>`,
  styles: `
    h2 {
      margin: 16px 0 6px;
    }
    td .field {
      margin: 0;
      width: 360px;
    }
    table {
      width: auto;
    }
  `,
})
export class ProposedTransactions {
  readonly starts = model.required<readonly TransactionStart[]>();
  /** An exchange to be shown. */
  readonly shown = output<number>();

  /** Keeps the old name while the field is empty: a transaction has one. */
  rename(n: number, name: string): void {
    if (name.trim() !== '') this.starts.set(this.starts().map((start) => (start.n === n ? { n, name: name.trim() } : start)));
  }

  join(n: number): void {
    this.starts.set(this.starts().filter((start) => start.n !== n));
  }
}
