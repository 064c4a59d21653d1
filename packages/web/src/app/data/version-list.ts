import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { TableVersion } from '@sturdy/core';
import { figure, moment } from '../shared/format';

/** What was changed in a table, by whom and when; each state can be had back. */
@Component({
  selector: 'app-version-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<ol>
    @for (entry of shown(); track entry.number) {
      <li [class.on]="entry.number === current()">
        <button
          class="as-row"
          [disabled]="entry.number === current()"
          (click)="wanted.emit(entry.number)"
          [title]="entry.number === current() ? 'This is shown' : 'Show the table as it was then'"
        >
          <b>{{ entry.what }}</b>
          <span class="muted small"
            >{{ entry.number === 0 ? '' : entry.by + ' · ' + moment(entry.at)
            }}{{ entry.rows > 1 ? ' · ' + figure(entry.rows) + ' rows' : '' }}
            {{ entry.branch ? ' · from version ' + entry.from : '' }}</span
          >
        </button>
      </li>
    }
  </ol>`,
  styles: `
    ol {
      list-style: none;
      margin: 0;
      padding: 0;
      max-height: 240px;
      overflow: auto;
    }
    .as-row {
      display: grid;
      width: 100%;
      text-align: left;
      border: 0;
      border-left: 3px solid transparent;
      background: none;
      color: var(--ink);
      padding: 4px 8px;
      font-size: 13px;
      overflow-wrap: anywhere;
    }
    .as-row b {
      font-weight: 550;
    }
    .as-row:hover:not(:disabled) {
      background: var(--sunk);
    }
    .on .as-row {
      border-left-color: var(--clay);
      background: var(--clay-soft);
    }
  `,
})
export class VersionList {
  readonly versions = input.required<readonly TableVersion[]>();
  readonly current = input.required<number>();
  readonly wanted = output<number>();
  readonly figure = figure;
  readonly moment = moment;
  readonly shown = computed(() => [
    ...this.versions().map((version) => ({ ...version, branch: version.from !== version.number - 1 })),
    { number: 0, from: 0, what: 'as it was made', by: '', at: '', rows: 0, branch: false },
  ]);
}
