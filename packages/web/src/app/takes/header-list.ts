import { ChangeDetectionStrategy, Component, computed, input, signal } from '@angular/core';
import type { Header } from '@sturdy/core';

const secret = /^(authorization|cookie|set-cookie|proxy-authorization|x-.*(key|token))$/i;

/** Headers as they stood on the wire; secrets are masked until asked for. */
@Component({
  selector: 'app-header-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<dl>
      @for (header of headers(); track $index) {
        <dt>{{ header[0] }}</dt>
        <dd>{{ shown() || !isSecret(header[0]) ? header[1] : '••••••••' }}</dd>
      }
    </dl>
    @if (hasSecrets()) {
      <button class="act slim" (click)="shown.set(!shown())">{{ shown() ? 'Mask secrets' : 'Show secrets' }}</button>
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
  readonly headers = input.required<readonly Header[]>();
  readonly shown = signal(false);
  readonly hasSecrets = computed(() => this.headers().some(([name]) => this.isSecret(name)));

  isSecret(name: string): boolean {
    return secret.test(name);
  }
}
