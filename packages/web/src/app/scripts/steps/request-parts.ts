import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { Store } from '@ngrx/store';
import { carriesValue, type PieceName, type RequestStep, type Script } from '@sturdy/core';
import { dataFeature } from '../../state/data.feature';
import { TemplateView } from '../template-view';
import { SentBody } from './sent-body';

/** A request with its chips: address, headers, body. */
@Component({
  selector: 'app-request-parts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SentBody, TemplateView],
  template: `@if (request().opensSocket; as socket) {
      <p>Opens a WebSocket, which later steps know as “{{ socket }}”.</p>
    }
    @if (request().http2) {
      <p class="muted small">Asks the target for HTTP/2, as the browser did.</p>
    }
    <dl class="kv">
      <dt>{{ request().method }}</dt>
      <dd>
        <app-template-view
          [template]="request().url"
          [script]="script()"
          [tables]="tableNames()"
          (chosen)="chosen.emit($event)"
          (putBack)="putBack.emit($event)"
        />
      </dd>
      @for (header of telling(); track $index) {
        <dt>{{ header.name }}</dt>
        <dd>
          <app-template-view
            [template]="header.value"
            [script]="script()"
            [tables]="tableNames()"
            (chosen)="chosen.emit($event)"
            (putBack)="putBack.emit($event)"
          />
        </dd>
      }
    </dl>
    @if (request().body; as body) {
      <app-sent-body
        label="Body"
        [body]="body"
        [script]="script()"
        [tables]="tableNames()"
        (chosen)="chosen.emit($event)"
        (putBack)="putBack.emit($event)"
      />
    }
    @if (plain().length > 0) {
      <details class="mt-3">
        <summary class="muted small">{{ plain().length }} headers that describe the browser</summary>
        <dl class="kv mt-2">
          @for (header of plain(); track $index) {
            <dt>{{ header.name }}</dt>
            <dd><app-template-view [template]="header.value" [script]="script()" (putBack)="putBack.emit($event)" /></dd>
          }
        </dl>
      </details>
    }`,
  styles: `
    .kv {
      display: grid;
      grid-template-columns: 112px 1fr;
      gap: 5px 10px;
      font: 12.5px/1.55 var(--mono);
      margin: 0 0 12px;
    }
    dt {
      font-weight: 400;
      color: var(--ink-2);
      overflow-wrap: anywhere;
    }
    dd {
      margin: 0;
      overflow-wrap: anywhere;
      min-width: 0;
    }
  `,
})
export class RequestParts {
  readonly #store = inject(Store);
  readonly script = input.required<Script>();
  readonly request = input.required<RequestStep>();
  /** A handoff whose string is to be shown. */
  readonly chosen = output<string>();
  readonly putBack = output<{ everywhere: boolean; piece: PieceName }>();
  readonly #tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly tableNames = computed(() => Object.fromEntries(this.#tables().map((table) => [table.id, table.name])));
  readonly telling = computed(() => this.request().headers.filter(({ name }) => carriesValue(name) || /^content-type$/i.test(name)));
  readonly plain = computed(() => this.request().headers.filter((header) => !this.telling().includes(header)));
}
