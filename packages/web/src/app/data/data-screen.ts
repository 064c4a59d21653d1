import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { NgbDropdownModule } from '@ng-bootstrap/ng-bootstrap/dropdown';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import type { DataTable, Deal, TableChange, TableWish } from '@sturdy/core';
import { catchError, debounceTime, of, switchMap } from 'rxjs';
import { Api } from '../shared/api';
import type { Duplicates } from '@sturdy/core';
import { bytes, figure } from '../shared/format';
import { ColumnList } from './column-list';
import { dataActions, type Ragged, type GenerateWish, type QueryWish } from '../state/data.actions';
import { dataFeature } from '../state/data.feature';
import { DataGrid, type Looking } from './data-grid';
import { DealCard } from './deal-card';
import { GenerateForm } from './generate-form';
import { PasteDialog } from './paste-dialog';
import { QueryDialog } from './query-dialog';
import { VersionList } from './version-list';
import { WhyNot } from '../shared/why-not';

type Only = TableWish['only'];

/** Data tables at the left, the rows of one in the middle; its deal, columns and versions at the right. */
@Component({
  selector: 'app-data-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, ColumnList, DataGrid, DealCard, GenerateForm, NgbDropdownModule, RouterLink, VersionList],
  templateUrl: './data-screen.html',
  styleUrl: './data-screen.scss',
})
export class DataScreen {
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly #api = inject(Api);
  readonly id = input<string>();
  readonly tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly listed = this.#store.selectSignal(dataFeature.selectListed);
  readonly importing = this.#store.selectSignal(dataFeature.selectImporting);
  readonly findings = this.#store.selectSignal(dataFeature.selectFindings);
  readonly #versions = this.#store.selectSignal(dataFeature.selectVersions);
  readonly table = computed(
    () => this.tables().find((table) => table.id === this.id()) ?? (this.id() === undefined ? this.tables()[0] : undefined),
  );
  readonly versions = computed(() => {
    const known = this.#versions();
    return known?.tableId === this.table()?.id ? (known?.list ?? []) : [];
  });
  readonly undoTo = computed(() => this.versions().find((version) => version.number === this.table()?.version)?.from ?? null);
  readonly redoTo = computed(() => this.versions().find((version) => version.from === this.table()?.version)?.number ?? null);
  readonly making = signal(false);
  readonly replacing = signal(false);
  readonly asked = signal('');
  readonly ragged = signal<Ragged>('skip');
  readonly tab = signal<'deal' | 'columns' | 'versions'>('deal');
  readonly tabs = [
    { id: 'deal', name: 'The deal' },
    { id: 'columns', name: 'Columns' },
    { id: 'versions', name: 'Versions' },
  ] as const;
  readonly #typed = signal('');
  /** What is looked for, once the typing rests. */
  readonly text = toSignal(toObservable(this.#typed).pipe(debounceTime(250)), { initialValue: '' });
  readonly only = signal<Only>('all');
  readonly #twiceIn = signal<number | undefined>(undefined);
  readonly looking = computed<Looking>(() => {
    const twiceIn = this.#twiceIn();
    return { text: this.text(), only: this.only(), ...(this.only() === 'twice' && twiceIn !== undefined ? { twiceIn } : {}) };
  });
  readonly picked = signal<number[]>([]);
  /** What the grid shows. */
  readonly found = signal<{ wish: TableWish; total: number } | null>(null);
  readonly shown = computed(() => this.found()?.total ?? null);
  readonly kinds = computed((): { id: Only; name: string }[] => [
    { id: 'all', name: 'all rows' },
    { id: 'free', name: 'free rows' },
    { id: 'spent', name: 'spent rows' },
    { id: 'twice', name: `twice the same ${this.table()?.columns[this.#twiceColumn()]?.name ?? 'value'}` },
    { id: 'misfit', name: 'cells that do not fit' },
  ]);
  readonly duplicates = toSignal(
    toObservable(
      computed(() => ({
        id: this.table()?.id,
        version: this.table()?.version,
        asks: this.table()?.columns.some((column) => column.unique) ?? false,
      })),
    ).pipe(switchMap(({ id, asks }) => (id !== undefined && asks ? this.#api.duplicates(id).pipe(catchError(() => of([]))) : of([])))),
    { initialValue: [] as Duplicates[] },
  );
  readonly grid = viewChild(DataGrid);
  readonly figure = figure;
  readonly bytes = bytes;

  constructor() {
    this.#store.dispatch(dataActions.listAsked());
    const open = computed(() => this.table()?.id);
    effect(() => {
      const tableId = open();
      if (tableId === undefined) return;
      untracked(() => {
        this.#store.dispatch(dataActions.versionsAsked({ tableId }));
        this.only.set('all');
        this.#typed.set('');
        this.#twiceIn.set(undefined);
        this.picked.set([]);
        this.asked.set('');
      });
    });
  }

  #twiceColumn(): number {
    return this.#twiceIn() ?? Math.max(0, this.table()?.columns.findIndex((column) => column.unique) ?? 0);
  }

  choose(input: HTMLInputElement): void {
    const file = input.files?.[0];
    if (file) this.#store.dispatch(dataActions.fileChosen({ name: file.name.replace(/\.\w+$/, ''), file, ragged: this.ragged() }));
    input.value = '';
  }
  paste(): void {
    this.#modals.open(PasteDialog, { size: 'lg' }).result.then(
      ({ name, text }: { name: string; text: string }) => {
        this.#store.dispatch(dataActions.fileChosen({ name, file: new Blob([text]), ragged: this.ragged() }));
      },
      () => undefined,
    );
  }
  query(): void {
    const opened = this.#modals.open(QueryDialog, { size: 'lg' });
    (opened.componentInstance as QueryDialog).tables = this.tables();
    opened.result.then(
      (wanted: QueryWish) => {
        this.#store.dispatch(dataActions.queryWanted({ wanted }));
      },
      () => undefined,
    );
  }
  generate(wanted: GenerateWish): void {
    this.#store.dispatch(dataActions.generateWanted({ wanted }));
    this.making.set(false);
  }
  cancelImport(): void {
    this.#store.dispatch(dataActions.importCancelled());
  }
  closeFindings(): void {
    this.#store.dispatch(dataActions.findingsClosed());
  }
  search(text: string): void {
    this.#typed.set(text);
  }
  setOnly(id: string): void {
    const kind = this.kinds().find((candidate) => candidate.id === id);
    if (kind) this.only.set(kind.id);
  }
  showTwice(column: number): void {
    this.#twiceIn.set(column);
    this.only.set('twice');
  }
  change(tableId: string, change: TableChange): void {
    this.#store.dispatch(dataActions.changeWanted({ tableId, change }));
  }
  goTo(version: number | null): void {
    const tableId = this.table()?.id;
    if (version !== null && tableId !== undefined) this.#store.dispatch(dataActions.versionWanted({ tableId, version }));
  }
  addRow({ id, columns }: DataTable): void {
    this.change(id, { kind: 'add-rows', rows: [columns.map(() => '')] });
    // Where it stands is known once it was fetched.
    setTimeout(() => this.grid()?.toEnd(), 400);
  }
  deletePicked({ id }: DataTable): void {
    this.change(id, { kind: 'delete-rows', rows: this.picked() });
    this.pickNone();
  }
  deleteShown({ id }: DataTable): void {
    const wish = this.found()?.wish;
    if (wish) this.change(id, { kind: 'delete-found', wish });
  }
  replace({ id }: DataTable, column: number, instead: string, text: string): void {
    const wish = this.found()?.wish;
    if (wish) this.change(id, { kind: 'fill', wish, column, text, ...(instead === '' ? {} : { instead }) });
    this.replacing.set(false);
  }
  pickNone(): void {
    this.grid()?.pickNone();
    this.picked.set([]);
  }
  deal(tableId: string, deal: Deal): void {
    this.#store.dispatch(dataActions.dealWanted({ tableId, deal }));
  }
  rename({ id, name }: DataTable, field: HTMLInputElement): void {
    const wanted = field.value.trim();
    if (wanted === '' || wanted === name) field.value = name;
    else this.#store.dispatch(dataActions.renameWanted({ tableId: id, name: wanted }));
  }
  release(tableId: string, rows: number[] | null): void {
    this.#store.dispatch(dataActions.releaseWanted({ tableId, rows }));
    this.pickNone();
  }
  remove(tableId: string): void {
    this.asked.set('');
    this.#store.dispatch(dataActions.deleteWanted({ tableId }));
  }
}
