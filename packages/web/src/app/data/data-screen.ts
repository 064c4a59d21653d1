import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap';
import type { DataTable, Deal } from '@sturdy/core';
import { figure } from '../shared/format';
import { dataActions, dataFeature } from './data';
import { GenerateForm, type GenerateWish } from './generate-form';
import { PasteDialog } from './paste-dialog';

const pageRows = 200;

/** Data tables at the left, the rows of one in the middle, its deal at the right. */
@Component({
  selector: 'app-data-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [GenerateForm, RouterLink],
  template: `<div class="page">
    <div class="page-head">
      <h1>Data</h1>
      <span class="muted small">rows for virtual users; the deal says who gets which</span><span class="grow"></span>
      <label class="small muted"
        >Lines that do not fit
        <select class="pick" #lines (change)="ragged.set($any(lines.value))">
          <option value="skip">are left out</option>
          <option value="fix">are filled up or cut</option>
          <option value="stop">stop the import</option>
        </select></label
      >
      <button class="act" (click)="making.set(!making())" [attr.aria-expanded]="making()">
        <i class="bi bi-magic" aria-hidden="true"></i>Generate
      </button>
      <button class="act" (click)="paste()"><i class="bi bi-clipboard" aria-hidden="true"></i>Paste</button>
      <label class="act main" tabindex="0" (keydown.enter)="file.click()" title="CSV, JSON or a sheet (.xlsx)"
        ><i class="bi bi-file-earmark-spreadsheet" aria-hidden="true"></i>Import a file
        <input #file type="file" accept=".csv,.txt,.tsv,.json,.jsonl,.xlsx" hidden (change)="choose(file)"
      /></label>
    </div>
    @if (making()) {
      <app-generate-form class="card-box pad mb-3" (wanted)="generate($event)" />
    }
    @if (tables().length === 0 && listed()) {
      <div class="card-box empty">
        No data table yet. Import a file (CSV, JSON or a sheet), paste cells from a spreadsheet, or generate rows.
      </div>
    } @else {
      <div class="columns">
        <nav class="card-box" aria-label="Data tables">
          @for (one of tables(); track one.id) {
            <a class="sheet" [routerLink]="['/data', one.id]" [class.on]="one.id === table()?.id"
              ><b>{{ one.name }}</b
              ><span class="muted small">{{ figure(one.rowCount) }} rows, {{ figure(one.rowCount - one.spentCount) }} free</span></a
            >
          }
        </nav>
        @if (table(); as own) {
          <div class="card-box rows" tabindex="0" role="region" [attr.aria-label]="'Rows of ' + own.name">
            <table class="grid" [attr.aria-label]="'Rows of ' + own.name">
              <thead>
                <tr>
                  <th class="num">Row</th>
                  @for (column of own.columns; track column) {
                    <th>{{ column }}</th>
                  }
                  <th>Spent by</th>
                </tr>
              </thead>
              <tbody>
                @for (row of rows(); track row.row) {
                  <tr [class.spent]="row.spentBy">
                    <td class="num muted">{{ row.row }}</td>
                    @for (value of row.values; track $index) {
                      <td class="mono">{{ value }}</td>
                    }
                    <td class="small">{{ shortSpent(row.spentBy) }}</td>
                  </tr>
                }
              </tbody>
            </table>
            <div class="pad d-flex gap-2 align-items-center">
              <button class="act slim" [disabled]="from() === 1" (click)="go(-1)">Earlier rows</button>
              <button class="act slim" [disabled]="from() + pageRows > own.rowCount" (click)="go(1)">Further rows</button
              ><span class="muted small">rows {{ from() }} to {{ last() }} of {{ figure(own.rowCount) }}</span>
            </div>
          </div>
          <aside>
            <div class="card-box pad">
              <h2 class="mt-0">The deal</h2>
              <label class="field mb-2"
                >A new row<select #when (change)="deal(own, { when: $any(when.value) })">
                  <option value="iteration" [selected]="own.deal.when === 'iteration'">for each iteration</option>
                  <option value="user" [selected]="own.deal.when === 'user'">once per virtual user</option>
                  <option value="run" [selected]="own.deal.when === 'run'">one for the whole run</option>
                </select></label
              >
              <label class="field mb-2"
                >A dealt row<select #use (change)="deal(own, { use: $any(use.value) })">
                  <option value="once" [selected]="own.deal.use === 'once'">is spent for good</option>
                  <option value="exclusive" [selected]="own.deal.use === 'exclusive'">is held, and free after the run</option>
                  <option value="again" [selected]="own.deal.use === 'again'">may be dealt again</option>
                </select></label
              >
              <label class="field mb-2"
                >Order<select #order (change)="deal(own, { order: $any(order.value) })">
                  <option value="listed" [selected]="own.deal.order === 'listed'">as listed</option>
                  <option value="shuffled" [selected]="own.deal.order === 'shuffled'">shuffled, by the seed of the workload</option>
                  <option value="random" [selected]="own.deal.order === 'random'">at random</option>
                </select></label
              >
              <label class="field mb-2"
                >When rows run out<select #empty (change)="deal(own, { whenEmpty: $any(empty.value) })">
                  <option value="stop-user" [selected]="own.deal.whenEmpty === 'stop-user'">stop that user</option>
                  <option value="end-run" [selected]="own.deal.whenEmpty === 'end-run'">end the run</option>
                  <option value="start-over" [selected]="own.deal.whenEmpty === 'start-over'" [disabled]="own.deal.use !== 'again'">
                    start over
                  </option>
                </select></label
              >
              <p class="muted small">
                {{ told(own.deal) }} {{ figure(own.spentCount) }} of {{ figure(own.rowCount) }} rows are
                {{ own.deal.use === 'exclusive' ? 'held' : 'spent' }}.
              </p>
              <div class="meter" role="img" [attr.aria-label]="own.spentCount + ' of ' + own.rowCount + ' rows spent'">
                <i [style.width.%]="(100 * own.spentCount) / own.rowCount"></i>
              </div>
              <div class="d-flex gap-2 mt-3 flex-wrap">
                @if (asked() === 'release') {
                  <button class="act slim danger" (click)="release(own.id)">Release {{ own.spentCount }} rows</button
                  ><button class="act slim" (click)="asked.set('')">Keep them spent</button>
                } @else if (asked() === 'delete') {
                  <button class="act slim danger" (click)="remove(own.id)">Delete for good</button
                  ><button class="act slim" (click)="asked.set('')">Keep</button>
                } @else {
                  <a class="act slim" [href]="'/api/tables/' + own.id + '/rows.csv'" download>Export CSV</a>
                  <button class="act slim" [disabled]="own.spentCount === 0" (click)="asked.set('release')">Release spent rows</button
                  ><button class="act slim" (click)="asked.set('delete')">Delete table</button>
                }
              </div>
            </div>
            @if (problems().length > 0) {
              <div class="card-box pad mt-3">
                <h2 class="mt-0">Lines that do not fit</h2>
                @for (one of problems(); track one.line) {
                  <div class="small">Line {{ one.line }} {{ one.text }}.</div>
                }
                <p class="muted small mt-2 mb-0">Mend them in the file and import it again; the other rows are here.</p>
              </div>
            }
          </aside>
        } @else {
          <div class="card-box empty">Choose a table to see its rows.</div>
        }
      </div>
    }
  </div>`,
  styles: `
    .pick {
      height: 30px;
    }
    .columns {
      display: grid;
      grid-template-columns: 220px 1fr 290px;
      gap: 14px;
      align-items: start;
    }
    .sheet {
      display: grid;
      padding: 9px 12px;
      color: var(--ink);
      text-decoration: none;
      border-bottom: 1px solid var(--line);
    }
    .sheet:last-child {
      border-bottom: 0;
    }
    .sheet.on {
      background: var(--clay-soft);
    }
    .rows {
      overflow: auto;
      max-height: calc(100vh - 150px);
    }
    .spent td {
      background: var(--sunk);
      color: var(--ink-2);
    }
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
export class DataScreen {
  readonly #store = inject(Store);
  readonly id = input<string>();
  readonly tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly listed = this.#store.selectSignal(dataFeature.selectListed);
  readonly rows = this.#store.selectSignal(dataFeature.selectRows);
  readonly from = this.#store.selectSignal(dataFeature.selectFrom);
  readonly problems = this.#store.selectSignal(dataFeature.selectProblems);
  readonly table = computed(
    () => this.tables().find((one) => one.id === this.id()) ?? (this.id() === undefined ? this.tables()[0] : undefined),
  );
  readonly last = computed(() => Math.min(this.table()?.rowCount ?? 0, this.from() + pageRows - 1));
  readonly making = signal(false);
  readonly asked = signal('');
  readonly figure = figure;
  readonly pageRows = pageRows;
  readonly ragged = signal<'skip' | 'fix' | 'stop'>('skip');
  readonly #modals = inject(NgbModal);

  constructor() {
    this.#store.dispatch(dataActions.listAsked());
    const shown = computed(() => this.table()?.id);
    effect(() => {
      const tableId = shown();
      if (tableId !== undefined) this.#store.dispatch(dataActions.rowsAsked({ tableId, from: 1 }));
    });
  }

  shortSpent(by: string | null): string {
    return by === null ? '' : by.startsWith('rehearsal') ? 'a rehearsal' : by;
  }
  choose(input: HTMLInputElement): void {
    const file = input.files?.[0];
    if (file) this.#store.dispatch(dataActions.csvChosen({ name: file.name.replace(/\.\w+$/, ''), file, ragged: this.ragged() }));
    input.value = '';
  }
  paste(): void {
    this.#modals.open(PasteDialog, { size: 'lg' }).result.then(
      ({ name, text }: { name: string; text: string }) => {
        this.#store.dispatch(dataActions.csvChosen({ name, file: new Blob([text]), ragged: this.ragged() }));
      },
      () => undefined,
    );
  }
  generate(wanted: GenerateWish): void {
    this.#store.dispatch(dataActions.generateWanted({ wanted }));
    this.making.set(false);
  }
  go(by: -1 | 1): void {
    const tableId = this.table()?.id;
    if (tableId !== undefined) this.#store.dispatch(dataActions.rowsAsked({ tableId, from: Math.max(1, this.from() + by * pageRows) }));
  }
  deal({ id, deal }: DataTable, change: Partial<Deal>): void {
    const next = { ...deal, ...change };
    // Only rows that may be dealt again can start over.
    if (next.use !== 'again' && next.whenEmpty === 'start-over') next.whenEmpty = 'stop-user';
    this.#store.dispatch(dataActions.dealWanted({ tableId: id, deal: next }));
  }
  told({ use, when }: Deal): string {
    if (use === 'again') return 'Rows may be dealt to several users, and nothing is spent.';
    if (use === 'exclusive') return 'Nobody else has a row while a run or rehearsal holds it.';
    return when === 'run'
      ? 'All users of a run get the same row, and it is spent.'
      : 'No two users, generators or runs ever get the same row.';
  }
  release(tableId: string): void {
    this.asked.set('');
    this.#store.dispatch(dataActions.releaseWanted({ tableId }));
  }
  remove(tableId: string): void {
    this.asked.set('');
    this.#store.dispatch(dataActions.deleteWanted({ tableId }));
  }
}
