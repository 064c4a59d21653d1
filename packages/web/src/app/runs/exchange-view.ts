import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { actionKindOf, type CapturedExchange } from '@sturdy/core';
import { figure } from '../shared/format';

/** A captured exchange: what was sent, and what was answered. */
@Component({
  selector: 'app-exchange-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="twin">
    <div>
      <div class="muted small">Sent by user {{ exchange().user }}: {{ words().sent }}</div>
      <pre class="body" tabindex="0">{{ exchange().requestText || 'no body' }}</pre>
    </div>
    <div>
      <div class="muted small">Answered {{ words().answer ?? 'nothing' }} in {{ figure(exchange().captured.durationMs) }} ms</div>
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
  readonly words = computed(() => {
    const { captured } = this.exchange();
    const kind = actionKindOf(captured);
    return { sent: kind.playedWords(captured), answer: kind.answerWords(captured) };
  });
  readonly figure = figure;
}
