import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal } from '@angular/core';
import { pathAndQuery, verbOf, type BesideRow, type Exchange, type Take } from '@sturdy/core';
import { SecretMask } from '../shared/secret-mask';

const words = {
  same: 'the same',
  differs: 'differs',
  missing: 'only in the first',
  extra: 'only in the second',
  moved: 'stands elsewhere',
};

/** Two takes of a flow beside each other, row by row. */
@Component({
  selector: 'app-beside-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="head">
      <label class="field"
        >Beside<select (change)="chosen.emit($any($event.target).value)">
          <option value="" [selected]="other() === null">choose another take of the same flow</option>
          @for (take of takes(); track take.id) {
            <option [value]="take.id" [selected]="take.id === other()?.id">{{ take.name }}</option>
          }
        </select></label
      >
      @if (other()) {
        <span class="sum">{{ summary() }}</span>
        <label class="small check"
          ><input type="checkbox" [checked]="onlyDifferent()" (change)="onlyDifferent.set(!onlyDifferent())" /> differences only</label
        >
        <label class="small check"><input type="checkbox" [checked]="secrets()" (change)="secrets.set(!secrets())" /> show secrets</label>
      }
    </div>
    @if (other(); as second) {
      <div class="rows card-box" tabindex="0" role="region" aria-label="Rows">
        <table class="grid" aria-label="Two takes beside each other">
          <thead>
            <tr>
              <th class="num">No.</th>
              <th>{{ first().name }}</th>
              <th class="num">No.</th>
              <th>{{ second.name }}</th>
              <th>Is</th>
            </tr>
          </thead>
          <tbody>
            @for (row of shown(); track $index) {
              <tr class="{{ row.state }}">
                <td class="num">{{ row.first ?? '' }}</td>
                <td class="mono">{{ name(row.first, firstByNumber()) }}</td>
                <td class="num">{{ row.second ?? '' }}</td>
                <td class="mono">{{ name(row.second, secondByNumber()) }}</td>
                <td>{{ told[row.state] }}</td>
              </tr>
              @if (row.answer) {
                <tr class="sub">
                  <td></td>
                  <td colspan="4">{{ row.answer }}</td>
                </tr>
              }
              @for (value of row.values; track value.place) {
                <tr class="sub">
                  <td></td>
                  <td class="mono">
                    <span [title]="shownValue(value.name, value.first)"
                      ><b>{{ value.name }}</b> {{ shownValue(value.name, value.first) }}</span
                    >
                  </td>
                  <td></td>
                  <td class="mono">
                    <span [title]="shownValue(value.name, value.second)">{{ shownValue(value.name, value.second) }}</span>
                  </td>
                  <td>value sent</td>
                </tr>
              }
            } @empty {
              <tr>
                <td colspan="5" class="muted">There is no difference: same requests, same order, same values.</td>
              </tr>
            }
          </tbody>
        </table>
      </div>
    } @else {
      <div class="empty">
        Values that differ between two takes of the same flow are those that a script has to hand on. Choose the second take above, or
        record the flow once more with other inputs.
      </div>
    }`,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      height: 100%;
      min-height: 0;
    }
    .head {
      display: flex;
      gap: 16px;
      align-items: end;
      margin-bottom: 10px;
      flex-wrap: wrap;
    }
    .head select {
      min-width: 260px;
    }
    .check {
      display: flex;
      align-items: center;
    }
    .sum {
      font-weight: 600;
      padding-bottom: 5px;
    }
    .rows {
      overflow: auto;
      min-height: 0;
    }
    td.mono {
      overflow-wrap: anywhere;
    }
    td.mono span {
      display: -webkit-box;
      -webkit-box-orient: vertical;
      -webkit-line-clamp: 3;
      overflow: hidden;
    }
    td:last-child {
      white-space: nowrap;
    }
    tr.missing td,
    tr.extra td {
      background: var(--ochre-soft);
    }
    tr.moved td {
      background: var(--data-soft);
    }
    tr.differs td:last-child {
      font-weight: 600;
      color: var(--clay);
    }
  `,
})
export class BesideView {
  readonly #mask = inject(SecretMask);
  readonly first = input.required<Take>();
  readonly exchanges = input.required<readonly Exchange[]>();
  readonly takes = input.required<readonly Take[]>();
  readonly other = input.required<Take | null>();
  readonly otherExchanges = input.required<readonly Exchange[]>();
  readonly rows = input.required<readonly BesideRow[]>();
  readonly chosen = output<string>();
  readonly onlyDifferent = signal(true);
  readonly secrets = signal(false);
  readonly told = words;
  readonly firstByNumber = computed(() => new Map(this.exchanges().map((exchange) => [exchange.n, exchange])));
  readonly secondByNumber = computed(() => new Map(this.otherExchanges().map((exchange) => [exchange.n, exchange])));
  readonly shown = computed(() => (this.onlyDifferent() ? this.rows().filter((row) => row.state !== 'same') : this.rows()));
  readonly summary = computed(() => {
    const count = (state: BesideRow['state']) => this.rows().filter((row) => row.state === state).length;
    const values = this.rows().reduce((sum, row) => sum + row.values.length, 0);
    return `${count('same')} the same, ${count('differs')} differ, ${count('missing')} missing, ${count('extra')} extra, ${count('moved')} moved; ${values} values differ`;
  });

  constructor() {
    effect(() => {
      for (const take of [this.first(), this.other()]) if (take) void this.#mask.look(take.id, [], []);
    });
  }

  name(n: number | null, of: ReadonlyMap<number, Exchange>): string {
    const exchange = of.get(n ?? -1);
    return exchange ? `${verbOf(exchange)} ${pathAndQuery(exchange.url).split('?')[0] ?? '/'}` : '';
  }

  shownValue(name: string, value: string): string {
    return this.secrets() ? value : this.#mask.value(name, value);
  }
}
