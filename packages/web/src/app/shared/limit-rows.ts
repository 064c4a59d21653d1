import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { Criterion, StopRule } from '@sturdy/core';
import { nextId } from './next-id';
import { NumberField } from './number-field';

type Limit = Criterion | StopRule;

const measures: { id: Criterion['measure']; name: string }[] = [
  { id: 'mean', name: 'mean' },
  { id: 'p50', name: 'p50' },
  { id: 'p90', name: 'p90' },
  { id: 'p95', name: 'p95' },
  { id: 'p99', name: 'p99' },
  { id: 'error-rate', name: 'error rate' },
];

/** Criteria, or stop rules, as rows: a measure of a transaction and its limit; a stop rule says for how long, too. */
@Component({
  selector: 'app-limit-rows',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NumberField],
  template: `@for (limit of limits(); track limit.id; let at = $index) {
      <div class="limit">
        <label class="field"
          >Transaction<select #transaction (change)="set(at, { transaction: transaction.value || null })">
            <option value="">all transactions</option>
            @for (name of transactions(); track name) {
              <option [value]="name" [selected]="name === limit.transaction">{{ name }}</option>
            }
          </select></label
        >
        <label class="field"
          >Measure<select #measure (change)="set(at, { measure: $any(measure.value) })">
            @for (kind of measures(); track kind.id) {
              <option [value]="kind.id" [selected]="kind.id === limit.measure">{{ kind.name }}</option>
            }
          </select></label
        >
        <app-number-field
          [label]="(what() === 'criterion' ? 'At most, ' : 'Above, ') + (limit.measure === 'error-rate' ? '%' : 'ms')"
          [value]="limit.limit"
          [min]="0"
          (changed)="set(at, { limit: $event })"
        />
        @if (secondsOf(limit); as seconds) {
          <app-number-field
            label="For, s"
            [value]="seconds"
            [min]="1"
            [max]="3600"
            [step]="1"
            hint="Without a pause; seconds in which nothing was answered do not count"
            (changed)="set(at, { forSeconds: $event })"
          />
        }
        <span class="grow"></span>
        <button class="act slim" (click)="remove(at)" [attr.aria-label]="'Remove the ' + what() + ' ' + (at + 1)">
          <i class="bi bi-trash" aria-hidden="true"></i>
        </button>
      </div>
    }
    <div class="pad">
      <button class="act slim" (click)="add()"><i class="bi bi-plus-lg" aria-hidden="true"></i>Add a {{ what() }}</button>
    </div>`,
  styles: `
    .limit {
      display: flex;
      gap: 10px;
      flex-wrap: wrap;
      align-items: end;
      padding: 10px 12px;
      border-bottom: 1px solid var(--line);
    }
  `,
})
export class LimitRows {
  readonly what = input.required<'criterion' | 'stop rule'>();
  readonly limits = input.required<readonly Limit[]>();
  readonly transactions = input.required<readonly string[]>();
  readonly changed = output<Limit[]>();
  readonly measures = computed(() =>
    this.what() === 'criterion' ? measures : measures.filter(({ id }) => ['mean', 'p95', 'error-rate'].includes(id)),
  );

  secondsOf(limit: Limit): number | null {
    return 'forSeconds' in limit ? limit.forSeconds : null;
  }
  set(at: number, change: Partial<StopRule> | Partial<Criterion>): void {
    this.changed.emit(this.limits().map((limit, n) => (n === at ? { ...limit, ...change } : limit)));
  }
  remove(at: number): void {
    this.changed.emit(this.limits().filter((_, n) => n !== at));
  }
  add(): void {
    const added: Limit =
      this.what() === 'criterion'
        ? { id: nextId('k', this.limits()), measure: 'p95', transaction: this.transactions()[0] ?? null, limit: 2000 }
        : { id: nextId('r', this.limits()), measure: 'error-rate', transaction: null, limit: 20, forSeconds: 10 };
    this.changed.emit([...this.limits(), added]);
  }
}
