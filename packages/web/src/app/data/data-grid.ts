import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { AgGridAngular } from 'ag-grid-angular';
import {
  CellStyleModule,
  ColumnApiModule,
  InfiniteRowModelModule,
  ModuleRegistry,
  NumberFilterModule,
  RowApiModule,
  RowSelectionModule,
  RowStyleModule,
  ScrollApiModule,
  TextEditorModule,
  TextFilterModule,
  themeQuartz,
  type CellValueChangedEvent,
  type ColDef,
  type GridApi,
  type GridReadyEvent,
  type IDatasource,
  type IGetRowsParams,
} from 'ag-grid-community';
import { fitsKind, type CellFilter, type DataRow, type DataTable, type TableChange, type TableWish } from '@sturdy/core';
import { styleNonce } from '../shared/style-nonce';
import { Api, problemOf } from '../shared/api';
import { figure } from '../shared/format';

ModuleRegistry.registerModules([
  InfiniteRowModelModule,
  TextEditorModule,
  TextFilterModule,
  NumberFilterModule,
  RowSelectionModule,
  RowStyleModule,
  CellStyleModule,
  RowApiModule,
  ColumnApiModule,
  ScrollApiModule,
]);

/** The grid in the colours of the product; both themes follow from its tokens. */
const theme = themeQuartz.withParams({
  accentColor: 'var(--teal)',
  backgroundColor: 'var(--surface)',
  foregroundColor: 'var(--ink)',
  textColor: 'var(--ink)',
  borderColor: 'var(--line)',
  chromeBackgroundColor: 'var(--sunk)',
  headerTextColor: 'var(--ink-2)',
  headerBackgroundColor: 'var(--surface)',
  oddRowBackgroundColor: 'var(--surface)',
  rowHoverColor: 'var(--sunk)',
  selectedRowBackgroundColor: 'var(--teal-soft)',
  subtleTextColor: 'var(--ink-2)',
  fontFamily: 'var(--ui)',
  cellFontFamily: 'var(--mono)',
  fontSize: 13,
  dataFontSize: 12.5,
  headerFontWeight: 600,
  wrapperBorder: false,
  wrapperBorderRadius: 0,
  rowHeight: 28,
  headerHeight: 34,
  spacing: 6,
  menuBackgroundColor: 'var(--surface)',
  inputBackgroundColor: 'var(--surface)',
  inputTextColor: 'var(--ink)',
});

/** Comparisons as the grid calls them, and as the product does. */
const comparisons: Record<string, CellFilter['is']> = {
  contains: 'contains',
  notContains: 'lacks',
  equals: 'equals',
  notEqual: 'differs',
  startsWith: 'starts',
  lessThan: 'less',
  greaterThan: 'more',
  blank: 'empty',
  notBlank: 'filled',
};
const blockRows = 200;
const columnOf = (id: string): number => Number(id.slice(1));

/** What the grid is asked to show, beside the filters and the order that are set in it. */
export type Looking = Pick<TableWish, 'text' | 'only' | 'twiceIn'>;

/** The rows of a table: edited, pasted into, put in order and filtered; blocks of rows come from the server as they are scrolled to. */
@Component({
  selector: 'app-data-grid',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AgGridAngular],
  host: { '(paste)': 'pasted($event)', '(copy)': 'copied($event)', '(keydown)': 'key($event)' },
  template: `<ag-grid-angular
      class="rows"
      [theme]="theme"
      [styleNonce]="styleNonce"
      [columnDefs]="columns()"
      [defaultColDef]="defaults"
      rowModelType="infinite"
      [cacheBlockSize]="blockRows"
      [maxBlocksInCache]="20"
      [infiniteInitialRowCount]="1"
      [rowSelection]="selection"
      [selectionColumnDef]="ticks"
      [getRowId]="rowId"
      [rowClassRules]="rowClasses"
      [stopEditingWhenCellsLoseFocus]="true"
      [suppressCellFocus]="false"
      [animateRows]="false"
      (gridReady)="ready($event)"
      (cellValueChanged)="edited($event)"
      (selectionChanged)="select()"
    />
    @if (problem(); as sentence) {
      <p class="note bad m-2" role="alert">{{ sentence }}</p>
    }`,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
    }
    .rows {
      flex: 1;
      min-height: 0;
    }
    :host ::ng-deep .spent .ag-cell {
      color: var(--ink-2);
      background: var(--sunk);
    }
    :host ::ng-deep .misfit {
      box-shadow: inset 0 -2px var(--ochre);
    }
    :host ::ng-deep .right {
      text-align: right;
    }
  `,
})
export class DataGrid {
  readonly #api = inject(Api);
  readonly table = input.required<DataTable>();
  readonly looking = input.required<Looking>();
  readonly changed = output<TableChange>();
  /** Numbers of the rows that are ticked. */
  readonly picked = output<number[]>();
  /** What is shown, and how many rows that are. */
  readonly found = output<{ wish: TableWish; total: number }>();
  readonly styleNonce = styleNonce;
  readonly theme = theme;
  readonly blockRows = blockRows;
  readonly problem = signal<string | null>(null);
  readonly #shape = computed(() => JSON.stringify([this.table().id, this.table().columns]));
  readonly columns = computed<ColDef<DataRow>[]>(() => {
    this.#shape();
    const table = untracked(this.table);
    return [
      {
        colId: 'row',
        headerName: 'Row',
        valueGetter: ({ data }) => data?.row,
        width: 84,
        minWidth: 60,
        flex: 0,
        editable: false,
        sortable: false,
        filter: false,
        cellClass: 'right',
        pinned: 'left',
      },
      ...table.columns.map(({ name, kind }, at): ColDef<DataRow> => ({
        colId: `c${at}`,
        headerName: name,
        headerTooltip: name,
        valueGetter: ({ data }) => data?.values[at] ?? '',
        valueSetter: ({ data, newValue }) => {
          data.values = data.values.with(at, String(newValue ?? ''));
          return true;
        },
        cellClass: kind === 'number' ? 'right' : '',
        cellClassRules: { misfit: ({ value }) => typeof value === 'string' && !fitsKind(kind, value) },
        filter: 'agTextColumnFilter',
        filterParams: {
          filterOptions: [
            'contains',
            'notContains',
            'equals',
            'notEqual',
            'startsWith',
            ...(kind === 'text' ? [] : ['lessThan', 'greaterThan']),
            'blank',
            'notBlank',
          ].map((key) => ({
            displayKey: key,
            displayName: sayFilter[key] ?? key,
            ...(key === 'blank' || key === 'notBlank' ? { numberOfInputs: 0 } : {}),
            predicate: () => true,
          })),
          maxNumConditions: 1,
          buttons: ['reset'],
        },
      })),
      {
        colId: 'spent',
        headerName: 'Spent by',
        valueGetter: ({ data }) => shortSpent(data?.spentBy ?? null),
        editable: false,
        sortable: false,
        filter: false,
        minWidth: 100,
      },
    ];
  });
  readonly defaults: ColDef<DataRow> = {
    editable: true,
    sortable: true,
    resizable: true,
    minWidth: 112,
    flex: 1,
  };
  readonly selection = { mode: 'multiRow' as const, headerCheckbox: false, enableClickSelection: false };
  readonly ticks = { width: 40, pinned: 'left' as const };
  readonly rowClasses = { spent: ({ data }: { data?: DataRow | undefined }) => data?.spentBy != null };
  readonly rowId = ({ data }: { data: DataRow }): string => String(data.row);
  #grid: GridApi<DataRow> | null = null;
  #total: number | null = null;
  /** What the rows on screen answer. */
  #wish: TableWish = { text: '', filters: [], only: 'all', sort: [] };

  constructor() {
    effect(() => {
      // Another table, other columns or another search begin anew; a changed cell only fetches what is on screen again.
      this.#shape();
      this.looking();
      untracked(() => {
        this.#begin();
      });
    });
    effect(() => {
      const { version, spentCount, rowCount } = this.table();
      untracked(() => {
        if (version + spentCount + rowCount >= 0) this.refresh();
      });
    });
  }

  ready({ api }: GridReadyEvent<DataRow>): void {
    this.#grid = api;
    this.#begin();
  }

  #begin(): void {
    this.#total = null;
    this.#grid?.setGridOption('datasource', this.#source());
  }

  /** Fetches what is on screen again. */
  refresh(): void {
    this.#total = null;
    this.#grid?.refreshInfiniteCache();
  }

  #source(): IDatasource {
    const table = this.table().id;
    return {
      getRows: (asked: IGetRowsParams<DataRow>) => {
        const wish = this.#wishOf(asked);
        const counts = this.#total === null || asked.startRow === 0;
        this.#api.viewTable(table, wish, asked.startRow, asked.endRow - asked.startRow, counts).subscribe({
          next: ({ rows, total }) => {
            this.#wish = wish;
            this.#total = total ?? this.#total;
            this.problem.set(null);
            asked.successCallback(rows, this.#total ?? undefined);
            if (total !== null) this.found.emit({ wish, total });
          },
          error: (error: unknown) => {
            asked.failCallback();
            this.problem.set(problemOf(error));
          },
        });
      },
    };
  }

  #wishOf({ sortModel, filterModel }: IGetRowsParams<DataRow>): TableWish {
    const model = filterModel as Record<string, { type?: string; filter?: string | number | null }>;
    return {
      ...this.looking(),
      sort: sortModel.map((item) => ({ column: columnOf(item.colId), down: item.sort === 'desc' })),
      filters: Object.entries(model).flatMap(([id, { type, filter }]) => {
        const is = comparisons[type ?? ''];
        return is ? [{ column: columnOf(id), is, text: String(filter ?? '') }] : [];
      }),
    };
  }

  edited({ data, colDef, newValue }: CellValueChangedEvent<DataRow>): void {
    this.changed.emit({
      kind: 'set-cells',
      cells: [{ row: data.row, column: columnOf(colDef.colId ?? 'c0'), text: String(newValue ?? '') }],
    });
  }

  select(): void {
    this.picked.emit((this.#grid?.getSelectedRows() ?? []).map((row) => row.row));
  }

  /** Takes the ticks away. */
  pickNone(): void {
    this.#grid?.deselectAll();
  }

  /** Where the focus is: the place of the row in what is shown, and the column. */
  #focus(): { at: number; column: number } | null {
    const cell = this.#grid?.getFocusedCell();
    const id = cell?.column.getColId() ?? '';
    return cell && /^c\d+$/.test(id) ? { at: cell.rowIndex, column: columnOf(id) } : null;
  }

  #isEditing(event: Event): boolean {
    return event.target instanceof HTMLInputElement;
  }

  pasted(event: ClipboardEvent): void {
    const focus = this.#focus();
    const text = event.clipboardData?.getData('text/plain') ?? '';
    if (!focus || text === '' || this.#isEditing(event)) return;
    event.preventDefault();
    this.changed.emit({ kind: 'paste', wish: this.#wish, at: focus.at, column: focus.column, text });
  }

  copied(event: ClipboardEvent): void {
    if (this.#isEditing(event)) return;
    const rows = this.#grid?.getSelectedRows() ?? [];
    const focus = this.#focus();
    const cell = focus && this.#grid?.getDisplayedRowAtIndex(focus.at)?.data?.values[focus.column];
    const text = rows.length > 0 ? rows.map((row) => row.values.join('\t')).join('\n') : (cell ?? '');
    event.clipboardData?.setData('text/plain', text);
    event.preventDefault();
  }

  key(event: KeyboardEvent): void {
    const focus = this.#focus();
    if (!focus || this.#isEditing(event) || (event.key !== 'Delete' && event.key !== 'Backspace')) return;
    const row = this.#grid?.getDisplayedRowAtIndex(focus.at)?.data?.row;
    event.preventDefault();
    event.stopPropagation();
    if (row !== undefined) this.changed.emit({ kind: 'set-cells', cells: [{ row, column: focus.column, text: '' }] });
  }

  /** Shows the last row, where new ones stand. */
  toEnd(): void {
    if (this.#total !== null && this.#total > 0) this.#grid?.ensureIndexVisible(this.#total - 1, 'bottom');
  }

  readonly figure = figure;
}

const sayFilter: Record<string, string> = {
  contains: 'contains',
  notContains: 'does not contain',
  equals: 'is',
  notEqual: 'is not',
  startsWith: 'begins with',
  lessThan: 'is less than',
  greaterThan: 'is more than',
  blank: 'is empty',
  notBlank: 'is not empty',
};

/** Who spent a row, in short. */
export const shortSpent = (by: string | null): string => (by === null ? '' : by.startsWith('rehearsal') ? 'a rehearsal' : by);
