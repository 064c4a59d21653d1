import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { ColumnKindSchema, type ColumnKind, type DataColumn, type TableChange } from '@sturdy/core';
import { ConfirmDelete } from '../shared/confirm-delete';

const kindNames: Record<ColumnKind, string> = { text: 'text', number: 'numbers', date: 'dates', truth: 'yes or no' };

/** The columns of a table: their names, what their values are, and which are to be unique. */
@Component({
  selector: 'app-column-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConfirmDelete],
  template: `@for (entry of columns(); track $index; let at = $index) {
      <div class="column">
        <input class="name" [value]="entry.name" #name [attr.aria-label]="'Name of column ' + (at + 1)" (change)="rename(at, name)" />
        <select #kind [attr.aria-label]="'Kind of ' + entry.name" (change)="set(at, { kind: $any(kind.value) })">
          @for (kind of kinds; track kind) {
            <option [value]="kind" [selected]="kind === entry.kind">{{ kindNames[kind] }}</option>
          }
        </select>
        <app-confirm-delete
          [name]="'column ' + entry.name"
          question="Delete it"
          (confirmed)="changed.emit({ kind: 'delete-column', column: at })"
        />
        <label class="small once"
          ><input type="checkbox" [checked]="entry.unique" (change)="set(at, { unique: !entry.unique })" />no value twice</label
        >
      </div>
    }
    <button class="act slim mt-1" (click)="add()"><i class="bi bi-plus" aria-hidden="true"></i>Add a column</button>`,
  styles: `
    :host {
      display: block;
    }
    .column {
      display: grid;
      grid-template-columns: 1fr 104px auto;
      gap: 4px 6px;
      align-items: center;
      margin-bottom: 6px;
    }
    .name {
      min-width: 0;
      font: 13px var(--mono);
      color: var(--ink);
      background: var(--surface);
      border: 1px solid var(--line);
      border-radius: 5px;
      padding: 3px 7px;
    }
    .once {
      grid-column: 1 / -1;
      color: var(--ink-2);
      display: flex;
    }
  `,
})
export class ColumnList {
  readonly columns = input.required<readonly DataColumn[]>();
  readonly changed = output<TableChange>();
  readonly kinds = ColumnKindSchema.options;
  readonly kindNames = kindNames;
  readonly #names = computed(() => new Set(this.columns().map((column) => column.name)));

  rename(column: number, field: HTMLInputElement): void {
    const name = field.value.trim();
    const before = this.columns()[column]?.name ?? '';
    if (name === '' || name === before) field.value = before;
    else this.changed.emit({ kind: 'rename-column', column, name });
  }
  set(column: number, change: Partial<Pick<DataColumn, 'kind' | 'unique'>>): void {
    const dataColumn = this.columns()[column];
    if (dataColumn) this.changed.emit({ kind: 'set-column', column, of: { kind: dataColumn.kind, unique: dataColumn.unique, ...change } });
  }
  add(): void {
    let name = 'new column';
    for (let count = 2; this.#names().has(name); count++) name = `new column ${count}`;
    this.changed.emit({ kind: 'add-column', name });
  }
}
