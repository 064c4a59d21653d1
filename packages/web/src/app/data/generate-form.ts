import { ChangeDetectionStrategy, Component, computed, output, signal } from '@angular/core';
import { generateRows, mostRows, type GeneratedColumn } from '@sturdy/core';
import { ColumnForm, newColumn } from './column-form';
import type { GenerateWish } from '../state/data.actions';
import { WhyNot } from '../shared/why-not';

const shownRows = 5;

/** Columns of a new table, how each is filled, and the first rows as they would be. */
@Component({
  selector: 'app-generate-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, ColumnForm],
  template: `<div class="fields">
      <label class="field">Table name <input [value]="name()" #own (input)="name.set(own.value)" /></label>
      <label class="field"
        >Rows <input type="number" min="1" [max]="most" [value]="count()" #rows (input)="setCount(rows.value)" style="width: 110px"
      /></label>
      <label class="field" title="The same seed gives the same rows"
        >Seed <input [value]="seed()" #start (input)="seed.set(start.value)" style="width: 110px"
      /></label>
      <button class="act" type="button" (click)="add()"><i class="bi bi-plus" aria-hidden="true"></i>Add a column</button>
      <span class="grow"></span>
      <button class="act main" type="button" (click)="done()" [whyNot]="problem()">Generate {{ count().toLocaleString('en') }} rows</button>
    </div>
    @for (column of columns(); track $index) {
      <app-column-form [value]="column" (changed)="change($index, $event)" (removed)="remove($index)" />
    }
    @if (problem(); as sentence) {
      <p class="note bad mt-2" role="alert">{{ sentence }}</p>
    } @else {
      <table class="grid mt-2" aria-label="First rows as they would be">
        <thead>
          <tr>
            @for (column of columns(); track $index) {
              <th>{{ column.name }}</th>
            }
          </tr>
        </thead>
        <tbody>
          @for (row of preview().rows; track $index) {
            <tr>
              @for (value of row; track $index) {
                <td class="mono">{{ value.length > 40 ? value.slice(0, 40) + '…' : value }}</td>
              }
            </tr>
          }
        </tbody>
      </table>
    }`,
  styles: `
    :host {
      display: block;
    }
  `,
})
export class GenerateForm {
  readonly wanted = output<GenerateWish>();
  readonly most = mostRows;
  readonly name = signal('Containers');
  readonly count = signal(5000);
  readonly seed = signal(String(Date.now() % 100_000));
  readonly columns = signal<readonly GeneratedColumn[]>([newColumn('container', 'container')]);
  readonly preview = computed((): { rows: string[][]; problem: string | null } => {
    try {
      // Whether so many rows can be made shows when the maker of each column is set up.
      const columns = this.columns();
      if (columns.some((column) => column.name.trim() === '')) throw new Error('Give each column a name.');
      return { rows: generateRows(columns, shownRows, this.seed(), Date.now()), problem: null };
    } catch (error) {
      return { rows: [], problem: error instanceof Error ? error.message : String(error) };
    }
  });
  readonly problem = computed(() =>
    this.name().trim() === ''
      ? 'Give the table a name.'
      : this.columns().length === 0
        ? 'Add a column.'
        : this.count() < 1 || this.count() > mostRows
          ? 'From 1 to 1,000,000 rows can be made at once.'
          : this.preview().problem,
  );

  setCount(text: string): void {
    const count = Number(text);
    if (Number.isInteger(count)) this.count.set(count);
  }
  add(): void {
    const taken = new Set(this.columns().map((column) => column.name));
    let name = 'number';
    for (let count = 2; taken.has(name); count++) name = `number ${count}`;
    this.columns.set([...this.columns(), newColumn('sequence', name)]);
  }
  change(at: number, column: GeneratedColumn): void {
    this.columns.set(this.columns().with(at, column));
  }
  remove(at: number): void {
    this.columns.set(this.columns().toSpliced(at, 1));
  }
  done(): void {
    this.wanted.emit({ name: this.name().trim(), columns: [...this.columns()], count: this.count(), seed: this.seed() });
  }
}
