import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, afterRenderEffect, computed, inject, input, model, signal, viewChild } from '@angular/core';
import { answerBody, bodyKind, isStaticFile, mediaType, pathAndQuery, verbOf, type Exchange, type Mark } from '@sturdy/core';
import { bytes, figure } from '../shared/format';
import { SecretMask } from '../shared/secret-mask';

type Row = { kind: 'exchange'; exchange: Exchange } | { kind: 'mark'; mark: Mark };

/** Exchanges of a take in time order with its marks between them; a filter, and a selection. */
@Component({
  selector: 'app-exchange-table',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ScrollingModule],
  template: `<div class="bar">
      <label class="field wide"
        ><span class="visually-hidden">Filter exchanges</span>
        <input type="search" placeholder="Filter addresses" (input)="filter.set($any($event.target).value)"
      /></label>
      <label class="field"
        ><span class="visually-hidden">Host</span>
        <select (change)="host.set($any($event.target).value)">
          <option value="">every host</option>
          @for (host of hosts(); track host) {
            <option [value]="host">{{ host }}</option>
          }
        </select></label
      >
      <label class="field"
        ><span class="visually-hidden">Type</span>
        <select (change)="type.set($any($event.target).value)">
          <option value="">every type</option>
          @for (type of types; track type) {
            <option [value]="type">{{ type }}</option>
          }
        </select></label
      >
      <label class="field"
        ><span class="visually-hidden">Status</span>
        <select (change)="status.set($any($event.target).value)">
          <option value="">every status</option>
          <option value="2">2xx good</option>
          <option value="3">3xx redirects</option>
          <option value="4">4xx and 5xx failed</option>
          <option value="0">no answer</option>
        </select></label
      >
      <span class="muted small count">{{ shown() }} of {{ exchanges().length }}</span>
    </div>
    <div class="entry head" aria-hidden="true">
      <span>No.</span><span>Method</span><span>Address</span><span class="num">Status</span><span class="num">Size</span
      ><span class="num">Start, s</span><span class="num">Took, ms</span>
    </div>
    <cdk-virtual-scroll-viewport itemSize="28" class="rows" tabindex="0" role="group" aria-label="Exchanges">
      <ng-container *cdkVirtualFor="let row of rows()">
        @if (row.kind === 'mark') {
          <div class="entry markline">
            <span></span><span>{{ markNames[row.mark.kind] }}</span
            ><b>{{ row.mark.text }}</b>
          </div>
        } @else {
          <button
            class="entry"
            [class.on]="selected() === row.exchange.n"
            [class.dim]="dimmed().has(row.exchange.n)"
            (click)="selected.set(row.exchange.n)"
          >
            <span class="muted">{{ row.exchange.n }}</span>
            <span class="mono">{{ verb(row.exchange) }}</span>
            <span class="mono address">{{ address(row.exchange) }}</span>
            <span class="num mono" [class.bad]="failed(row.exchange)">{{ statusOf(row.exchange) }}</span>
            <span class="num">{{ bytes(answer(row.exchange)?.size ?? 0) }}</span>
            <span class="num">{{ figure(row.exchange.startedAtMs / 1000, 1) }}</span>
            <span class="num">{{ figure(row.exchange.durationMs) }}</span>
          </button>
        }
      </ng-container>
    </cdk-virtual-scroll-viewport>`,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      height: 100%;
    }
    .bar {
      display: flex;
      gap: 8px;
      align-items: center;
      padding: 8px 12px;
    }
    .bar .wide {
      flex: 1;
      max-width: 320px;
    }
    .bar select {
      max-width: 170px;
    }
    .count {
      margin-left: auto;
      white-space: nowrap;
    }
    .entry.dim {
      color: var(--ink-3);
      font-style: italic;
    }
    .rows {
      flex: 1;
      min-height: 120px;
    }
    .entry {
      display: grid;
      grid-template-columns: 44px 64px 1fr 56px 76px 66px 70px;
      gap: 6px;
      align-items: center;
      height: 28px;
      width: 100%;
      padding: 0 12px;
      border: 0;
      background: none;
      text-align: left;
      font-size: 13px;
      color: var(--ink);
    }
    .entry.head {
      font-size: 12px;
      font-weight: 600;
      color: var(--ink-2);
      border-bottom: 1px solid var(--line-strong);
    }
    .entry.markline {
      background: var(--sunk);
      color: var(--ink-2);
      grid-template-columns: 44px 64px 1fr;
    }
    .entry.on {
      background: var(--clay-soft);
    }
    .entry:hover:not(.on, .markline, .head) {
      background: var(--sunk);
    }
    .address {
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    .num {
      text-align: right;
    }
    .bad {
      color: var(--red);
      font-weight: 600;
    }
  `,
})
export class ExchangeTable {
  readonly #mask = inject(SecretMask);
  readonly exchanges = input.required<readonly Exchange[]>();
  readonly marks = input<readonly Mark[]>([]);
  readonly selected = model<number | null>(null);
  /** Keeps the newest row in view. */
  readonly tail = input(false);
  /** Exchanges that a script will not have. */
  readonly dimmed = input<ReadonlySet<number>>(new Set());
  readonly viewport = viewChild.required(CdkVirtualScrollViewport);
  readonly filter = signal('');
  readonly host = signal('');
  readonly type = signal('');
  readonly status = signal('');
  readonly types = ['pages', 'data', 'forms', 'files', 'sockets and streams'] as const;
  readonly markNames = { begin: 'begin', end: 'end', comment: 'note', pause: 'paused', resume: 'resumed' };
  readonly hosts = computed(() => [...new Set(this.exchanges().map((exchange) => new URL(exchange.url).host))].sort());
  readonly bytes = bytes;
  readonly verb = verbOf;
  readonly answer = answerBody;
  readonly figure = figure;
  readonly rows = computed((): Row[] => {
    const wanted = this.filter().toLowerCase();
    const [host, type, status] = [this.host(), this.type(), this.status()];
    const rows: { atMs: number; row: Row }[] = this.exchanges()
      .filter(
        (exchange) =>
          (wanted === '' || `${verbOf(exchange)} ${exchange.url}`.toLowerCase().includes(wanted)) &&
          (host === '' || new URL(exchange.url).host === host) &&
          (type === '' || typeOf(exchange) === type) &&
          (status === '' || statusGroup(exchange) === status),
      )
      .map((exchange) => ({ atMs: exchange.startedAtMs, row: { kind: 'exchange', exchange } }));
    if (wanted + host + type + status === '') for (const mark of this.marks()) rows.push({ atMs: mark.atMs, row: { kind: 'mark', mark } });
    return rows.sort((left, right) => left.atMs - right.atMs).map(({ row }) => row);
  });
  readonly shown = computed(() => this.rows().filter((row) => row.kind === 'exchange').length);

  constructor() {
    afterRenderEffect(() => {
      const count = this.rows().length;
      if (this.tail() && count > 0) this.viewport().scrollToIndex(count - 1);
    });
  }

  statusOf(exchange: Exchange): string {
    return exchange.kind === 'request' ? String(exchange.response?.status ?? 'none') : '';
  }
  failed(exchange: Exchange): boolean {
    return exchange.kind === 'request' && ['0', '4'].includes(statusGroup(exchange));
  }
  address(exchange: Exchange): string {
    return this.#mask.url(new URL(exchange.url).host + pathAndQuery(exchange.url));
  }
}

/** What an exchange is for a tester. */
function typeOf(exchange: Exchange): string {
  if (exchange.kind === 'message' || exchange.messages) return 'sockets and streams';
  if (isStaticFile(exchange)) return 'files';
  if (exchange.method === 'POST' && ['form', 'multipart'].includes(bodyKind(mediaType(exchange.requestHeaders)))) return 'forms';
  const kind = bodyKind(mediaType(exchange.response?.headers ?? []));
  return kind === 'html' ? 'pages' : 'data';
}

/** The group of statuses to which an answer belongs; empty for a message, which has none. */
const statusGroup = (exchange: Exchange): string => {
  if (exchange.kind === 'message') return '';
  const group = Math.floor((exchange.response?.status ?? 0) / 100);
  return String(group === 5 ? 4 : group);
};
