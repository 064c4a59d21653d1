import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { measures, seriesWords, type Catalogue, type Measure, type SeriesKey } from '@sturdy/core';

interface Entry {
  key: SeriesKey;
  name: string;
  unit: string;
}
interface Group {
  name: string;
  entries: Entry[];
}

/** Everything that a run can show, by what it is about; found by a part of its name. */
@Component({
  selector: 'app-series-catalogue',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<label class="field mb-2"
      >Find a series<input #part [value]="find()" (input)="find.set(part.value)" placeholder="Book, processor, …" autocomplete="off"
    /></label>
    <label class="field mb-2"
      >Measure of transactions and steps<select #measured (change)="measure.set($any(measured.value))">
        @for (choice of choices; track choice.measure) {
          <option [value]="choice.measure" [selected]="choice.measure === measure()">{{ choice.name }} ({{ choice.unit }})</option>
        }
      </select></label
    >
    @for (group of groups(); track group.name) {
      <details [open]="find() !== '' || group.name === 'Users and all transactions' || group.name === 'Transactions'">
        <summary>
          {{ group.name }} <span class="muted small">{{ group.entries.length }}</span>
        </summary>
        @for (entry of group.entries; track entry.name) {
          <button class="entry" (click)="drawn.emit(entry.key)" [title]="'Draw ' + entry.name + ' into the chosen lane'">
            <i class="bi bi-plus" aria-hidden="true"></i>{{ entry.name }}
            @if (entry.unit) {
              <span class="muted small">{{ entry.unit }}</span>
            }
          </button>
        }
      </details>
    } @empty {
      <p class="muted small">Nothing has “{{ find() }}” in its name.</p>
    }`,
  styles: `
    summary {
      font-weight: 600;
      font-size: 13px;
      padding: 5px 0;
    }

    .entry {
      display: flex;
      gap: 5px;
      width: 100%;
      min-height: 24px;
      text-align: left;
      border: 0;
      background: none;
      color: var(--ink);
      font-size: 13px;
      padding: 2px 4px;
      border-radius: 4px;
      overflow-wrap: anywhere;
    }

    .entry:hover {
      background: var(--sunk);
    }
  `,
})
export class SeriesCatalogue {
  readonly catalogue = input.required<Catalogue>();
  readonly drawn = output<SeriesKey>();
  readonly find = signal('');
  readonly measure = signal<Measure>('p95');
  readonly choices = Object.entries(measures).map(([measure, { name, unit }]) => ({ measure: measure as Measure, name, unit }));
  readonly groups = computed((): Group[] => {
    const { transactions, hosts, generators } = this.catalogue();
    const measure = this.measure();
    const timed = (transaction: string | null, step: string | null): SeriesKey => ({ kind: 'time', transaction, step, measure });
    const group = (name: string, keys: SeriesKey[]): Group => ({
      name,
      entries: keys
        .map((key) => ({ key, ...seriesWords(key, hosts) }))
        .filter((entry) => entry.name.toLowerCase().includes(this.find().trim().toLowerCase())),
    });
    return [
      group('Users and all transactions', [{ kind: 'users' }, timed(null, null)]),
      group(
        'Transactions',
        transactions.map(({ name }) => timed(name, null)),
      ),
      group(
        'Hosts',
        hosts.map(({ host, figure }): SeriesKey => ({ kind: 'host', host, figure })),
      ),
      group(
        'Generators',
        generators.flatMap((generator) =>
          (['users', 'busy', 'delay', 'lateness', 'heap', 'connections'] as const).map((figure): SeriesKey => ({
            kind: 'generator',
            generator,
            figure,
          })),
        ),
      ),
      ...transactions.map(({ name, steps }) =>
        group(
          `Steps of ${name}`,
          steps.map((step) => timed(name, step)),
        ),
      ),
    ].filter(({ entries }) => entries.length > 0);
  });
}
