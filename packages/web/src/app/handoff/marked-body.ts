import { ChangeDetectionStrategy, Component, computed, effect, ElementRef, inject, input, resource, signal } from '@angular/core';
import { type BodyRef, type TriedResponse } from '@sturdy/core';
import { firstValueFrom } from 'rxjs';
import { Api } from '../shared/api';
import { SecretMask } from '../shared/secret-mask';

interface Part {
  text: string;
  match: 'picked' | 'other' | null;
  at: number;
}

/** Characters shown before and after the match that is looked at. */
const around = 20_000;

/** The body of a response with the matches of an extractor marked in it; secrets outside of the matches are masked. */
@Component({
  selector: 'app-marked-body',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="line">
      @if (spans().length > 0) {
        <button class="act slim" (click)="go(-1)" aria-label="The match before"><i class="bi bi-chevron-up" aria-hidden="true"></i></button>
        <button class="act slim" (click)="go(1)" aria-label="The next match"><i class="bi bi-chevron-down" aria-hidden="true"></i></button>
        <span class="muted small" aria-live="polite">match {{ at() + 1 }} of {{ count() }}</span>
      } @else if (inHeader()) {
        <span class="muted small"
          >It stands in a header: <b class="mono">{{ inHeader() }}</b></span
        >
      } @else {
        <span class="muted small">Nothing matches in this answer.</span>
      }
      <span class="grow"></span>
      <button class="act slim" (click)="secrets.set(!secrets())">{{ secrets() ? 'Mask other secrets' : 'Show other secrets' }}</button>
    </div>
    <pre
      class="body"
      tabindex="0"
      aria-label="Body of the answer"
    >@for (part of parts(); track $index) {@if (part.match) {<mark [class.picked]="part.match === 'picked'" [class.now]="part.at === at()">{{ part.text }}</mark>} @else {{{ part.text }}}}</pre>`,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      flex: 1;
    }
    .line {
      display: flex;
      gap: 6px;
      align-items: center;
      margin: 6px 0;
    }
    pre {
      flex: 1;
      max-height: none;
      min-height: 120px;
    }
    mark {
      background: var(--ochre-soft);
      color: inherit;
      padding: 0;
      border-bottom: 1px dashed var(--ochre);
    }
    mark.picked {
      background: var(--teal-soft);
      border-bottom: 2px solid var(--teal);
      font-weight: 650;
    }
    mark.now {
      outline: 1.5px solid var(--ink-2);
    }
  `,
})
export class MarkedBody {
  readonly #api = inject(Api);
  readonly #host = inject<ElementRef<HTMLElement>>(ElementRef);
  readonly #mask = inject(SecretMask);
  readonly body = input.required<BodyRef | null>();
  readonly matches = input.required<TriedResponse['matches']>();
  readonly count = input.required<number>();
  readonly secrets = signal(false);
  readonly #chosen = signal<number | null>(null);
  readonly #text = resource({
    params: () => this.body()?.hash,
    loader: ({ params }) => firstValueFrom(this.#api.body(params)),
  });
  readonly spans = computed(() => this.matches().flatMap(({ span, picked }) => (span ? [{ ...span, picked }] : [])));
  readonly inHeader = computed(() => this.matches().find((match) => match.span === null && match.picked)?.value);
  readonly at = computed(() =>
    Math.min(
      this.spans().length - 1,
      this.#chosen() ??
        Math.max(
          0,
          this.spans().findIndex((span) => span.picked),
        ),
    ),
  );
  readonly parts = computed((): Part[] => {
    const text = this.#text.value() ?? '';
    const now = this.spans()[this.at()];
    const [from, to] = now
      ? [Math.max(0, now.start - around), Math.min(text.length, now.end + around)]
      : [0, Math.min(text.length, around)];
    const plain = (part: string): string => (this.secrets() ? part : this.#mask.text(part));
    const parts: Part[] = from > 0 ? [{ text: '…\n', match: null, at: -1 }] : [];
    let done = from;
    this.spans().forEach((span, at) => {
      if (span.start < done || span.end > to) return;
      parts.push({ text: plain(text.slice(done, span.start)), match: null, at: -1 });
      parts.push({ text: text.slice(span.start, span.end), match: span.picked ? 'picked' : 'other', at });
      done = span.end;
    });
    parts.push({ text: plain(text.slice(done, to)) + (to < text.length ? '\n…' : ''), match: null, at: -1 });
    return parts;
  });

  constructor() {
    effect(() => {
      this.matches();
      this.#chosen.set(null);
    });
    effect(() => {
      this.parts();
      // Marks are drawn first, then the one that is looked at comes into sight.
      setTimeout(() => this.#host.nativeElement.querySelector('mark.now')?.scrollIntoView({ block: 'center' }));
    });
  }

  go(by: number): void {
    const all = this.spans().length;
    this.#chosen.set((this.at() + by + all) % all);
  }
}
