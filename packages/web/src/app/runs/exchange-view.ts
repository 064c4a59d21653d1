import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { CapturedExchange } from '@sturdy/core';
import { figure } from '../shared/format';

/** A captured exchange: what was sent, and what was answered. */
@Component({
  selector: 'app-exchange-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="twin">
    <div>
      <div class="muted small">
        Sent by user {{ exchange().user }}: {{ exchange().captured.request.method }} {{ exchange().captured.request.url }}
      </div>
      <pre class="body" tabindex="0">{{ exchange().requestText || 'no body' }}</pre>
    </div>
    <div>
      <div class="muted small">
        Answered {{ exchange().captured.response?.status ?? 'nothing' }} in {{ figure(exchange().captured.durationMs) }} ms
      </div>
      <pre class="body" tabindex="0">{{ exchange().responseText || exchange().captured.failure || 'no body' }}</pre>
    </div>
  </div>`,
  styles: `
    .twin {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 14px;
      margin-top: 8px;
    }
    .twin > * {
      min-width: 0;
    }
  `,
})
export class ExchangeView {
  readonly exchange = input.required<CapturedExchange>();
  readonly figure = figure;
}
