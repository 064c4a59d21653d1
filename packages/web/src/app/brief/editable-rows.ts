import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { nextId } from '../shared/next-id';

/** A column of rows that are edited in place. */
export interface EditableColumn {
  key: string;
  name: string;
  kind: 'text' | 'number' | 'choice' | 'optional-number';
  /** Width as CSS has it; what is left is shared by those without one. */
  width?: string;
  placeholder?: string;
  min?: number;
  max?: number;
  /** Of a choice: what is stored, and what is shown. */
  choices?: readonly { value: string; name: string }[];
  /** Id of a list of texts that are offered. */
  offers?: string;
}

export type EditableRow = Readonly<Record<string, unknown>>;

/** A short list that people write, edited in place: a row each, one more by a press. */
@Component({
  selector: 'app-editable-rows',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@if (rows().length > 0) {
      <table class="grid" [attr.aria-label]="what()">
        <thead>
          <tr>
            @for (column of columns(); track column.key) {
              <th [style.width]="column.width ?? null" [class.num]="column.kind === 'number' || column.kind === 'optional-number'">
                {{ column.name }}
              </th>
            }
            <th class="last"><span class="visually-hidden">Remove</span></th>
          </tr>
        </thead>
        <tbody>
          @for (row of rows(); track row['id'] ?? $index; let at = $index) {
            <tr>
              @for (column of columns(); track column.key) {
                <td>
                  @if (column.kind === 'choice') {
                    <select #choice [attr.aria-label]="nameOf(column, at)" (change)="set(at, column.key, choice.value)">
                      @for (offered of column.choices; track offered.value) {
                        <option [value]="offered.value" [selected]="offered.value === row[column.key]">{{ offered.name }}</option>
                      }
                    </select>
                  } @else {
                    <input
                      #field
                      [type]="column.kind === 'text' ? 'text' : 'number'"
                      [class.num]="column.kind !== 'text'"
                      [attr.aria-label]="nameOf(column, at)"
                      [attr.list]="column.offers ?? null"
                      [attr.min]="column.min ?? null"
                      [attr.max]="column.max ?? null"
                      step="any"
                      maxlength="300"
                      [placeholder]="column.placeholder ?? ''"
                      [value]="row[column.key] ?? ''"
                      (change)="take(at, column, field)"
                    />
                  }
                </td>
              }
              <td class="last">
                <button class="act slim" (click)="remove(at)" [attr.aria-label]="'Remove ' + noun() + ' ' + (at + 1)">
                  <i class="bi bi-trash" aria-hidden="true"></i>
                </button>
              </td>
            </tr>
          }
        </tbody>
      </table>
    }
    <div class="pad add">
      <button class="act slim" (click)="add()"><i class="bi bi-plus-lg" aria-hidden="true"></i>Add {{ article() }} {{ noun() }}</button>
      @if (rows().length === 0) {
        <span class="muted small">{{ hint() }}</span>
      }
    </div>`,
  styles: `
    td {
      padding: 4px 6px;
    }
    input,
    select {
      width: 100%;
      min-width: 0;
      border: 1px solid transparent;
      border-radius: 5px;
      background: transparent;
      padding: 4px 6px;
      color: var(--ink);
    }
    input:hover,
    select:hover,
    input:focus,
    select:focus {
      border-color: var(--line-strong);
      background: var(--surface);
    }
    input::placeholder {
      color: var(--ink-3);
    }
    .num {
      text-align: right;
    }
    /* Arrows would push the figures out of their column. */
    input.num {
      appearance: textfield;
    }
    input.num::-webkit-inner-spin-button {
      display: none;
    }
    .last {
      width: 44px;
    }
    .add {
      display: flex;
      gap: 12px;
      align-items: center;
      padding: 8px 12px;
    }
  `,
})
export class EditableRows {
  /** What the list is, for those who cannot see it, and what one of its rows is. */
  readonly what = input.required<string>();
  readonly noun = input.required<string>();
  readonly article = input('a');
  readonly hint = input('');
  readonly columns = input.required<readonly EditableColumn[]>();
  readonly rows = input.required<readonly EditableRow[]>();
  /** A row as it begins. */
  readonly fresh = input.required<EditableRow>();
  readonly changed = output<EditableRow[]>();

  nameOf(column: EditableColumn, at: number): string {
    return `${column.name}, ${this.noun()} ${at + 1}`;
  }
  take(at: number, column: EditableColumn, field: HTMLInputElement): void {
    if (column.kind === 'text') {
      this.set(at, column.key, field.value);
      return;
    }
    const isEmpty = field.value === '';
    // What is no number in the range is put back, so that the field never shows what does not hold.
    if (field.checkValidity() && (!isEmpty || column.kind === 'optional-number'))
      this.set(at, column.key, isEmpty ? null : Number(field.value));
    else {
      const before = this.rows()[at]?.[column.key];
      field.value = typeof before === 'number' ? String(before) : '';
    }
  }
  set(at: number, key: string, value: unknown): void {
    this.changed.emit(this.rows().map((row, place) => (place === at ? { ...row, [key]: value } : row)));
  }
  add(): void {
    const known = this.rows().flatMap((row) => (typeof row['id'] === 'string' ? [{ id: row['id'] }] : []));
    this.changed.emit([...this.rows(), { ...this.fresh(), ...('id' in this.fresh() ? { id: nextId('b', known) } : {}) }]);
  }
  remove(at: number): void {
    this.changed.emit(this.rows().filter((_, place) => place !== at));
  }
}
