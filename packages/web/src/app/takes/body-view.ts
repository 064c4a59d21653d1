import { ChangeDetectionStrategy, Component, inject, input, resource } from '@angular/core';
import { bodyKind, type BodyRef } from '@sturdy/core';
import { firstValueFrom } from 'rxjs';
import { Api } from '../shared/api';
import { bytes } from '../shared/format';

const shownCharacters = 60_000;

/** A stored body as text, JSON indented; never run or rendered. */
@Component({
  selector: 'app-body-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `@if (body(); as own) {
      <div class="muted small mb-1">{{ own.mimeType || 'no media type' }}, {{ bytes(own.size) }}</div>
      @if (text.isLoading()) {
        <pre class="body">loading…</pre>
      } @else {
        <pre class="body" tabindex="0">{{ text.value() }}</pre>
      }
    } @else {
      <p class="muted small mb-0">No body.</p>
    }`,
})
export class BodyView {
  readonly #api = inject(Api);
  readonly body = input.required<BodyRef | null>();
  readonly bytes = bytes;
  readonly text = resource({
    params: () => this.body() ?? undefined,
    loader: async ({ params }) => {
      const kind = bodyKind(params.mimeType);
      if (kind === 'binary') return 'Not text.';
      const text = await firstValueFrom(this.#api.body(params.hash));
      const pretty = kind === 'json' ? indented(text) : text;
      return pretty.length > shownCharacters ? `${pretty.slice(0, shownCharacters)}\n… cut here; ${bytes(params.size)} in all` : pretty;
    },
  });
}

function indented(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return text;
  }
}
