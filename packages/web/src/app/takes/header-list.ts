import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import type { Header } from '@sturdy/core';
import { SecretMask } from '../shared/secret-mask';

/** Names with values, as they stood on the wire; secrets are masked until asked for. */
@Component({
  selector: 'app-header-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@if (headers().length > 0) {
      <dl>
        @for (header of shown(); track $index) {
          <dt>{{ header[0] }}</dt>
          <dd>{{ header[1] }}</dd>
        }
      </dl>
    } @else {
      <p class="muted small">None.</p>
    }
    @if (hasSecrets()) {
      <button class="act slim mb-2" (click)="secrets.set(!secrets())">{{ secrets() ? 'Mask secrets' : 'Show secrets' }}</button>
    }`,
  styles: `
    dl {
      display: grid;
      grid-template-columns: 130px 1fr;
      gap: 2px 10px;
      font: 12px/1.5 var(--mono);
      margin: 0 0 8px;
    }
    dt {
      font-weight: 400;
      color: var(--ink-2);
      overflow-wrap: anywhere;
    }
    dd {
      margin: 0;
      overflow-wrap: anywhere;
    }
  `,
})
export class HeaderList {
  readonly #mask = inject(SecretMask);
  readonly headers = input.required<readonly Header[]>();
  readonly secrets = signal(false);
  readonly #masked = computed(() => this.headers().map((header) => this.#mask.header(header)));
  readonly hasSecrets = computed(() => this.#masked().some(([, value], at) => value !== this.headers()[at]?.[1]));
  readonly shown = computed(() => (this.secrets() ? this.headers() : this.#masked()));
}
