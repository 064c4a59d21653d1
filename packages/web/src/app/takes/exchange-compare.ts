import { ChangeDetectionStrategy, Component, computed, inject, input, resource, signal } from '@angular/core';
import {
  answerBody,
  answerHeaders,
  bodyKind,
  maskExchange,
  sentBody,
  sentHeaders,
  verbOf,
  type BodyRef,
  type Exchange,
  type Header,
} from '@sturdy/core';
import { diffLines } from 'diff';
import { firstValueFrom } from 'rxjs';
import { Api } from '../shared/api';
import { SecretMask } from '../shared/secret-mask';

/** One line of a comparison. */
interface Line {
  text: string;
  side: 'both' | 'first' | 'second';
}

const mostCharacters = 120_000;

/** A message has no status. */
const statusOf = (exchange: Exchange): string => (exchange.kind === 'request' ? String(exchange.response?.status ?? 'none') : '');

/** Two exchanges beside each other: what only one of them has is marked, the rest is folded away. */
@Component({
  selector: 'app-exchange-compare',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<p class="small mb-2">
      <span class="only first">no. {{ first().n }}</span> against <span class="only second">no. {{ second().n }}</span>
      <button class="act slim ms-2" (click)="secrets.set(!secrets())">{{ secrets() ? 'Mask secrets' : 'Show secrets' }}</button>
    </p>
    @for (section of sections(); track section.name) {
      <h3>{{ section.name }}</h3>
      @if (section.same) {
        <p class="muted small">The same in both.</p>
      } @else {
        <pre class="body" tabindex="0">@for (line of section.lines; track $index) {<span class="only {{ line.side }}">{{ line.text }}
</span>}</pre>
      }
    }`,
  styles: `
    h3 {
      font-size: 13px;
      margin: 10px 0 4px;
    }
    .only {
      display: inline;
    }
    pre .only {
      display: block;
    }
    .first {
      background: var(--clay-soft);
    }
    .first::before {
      content: '− ';
    }
    .second {
      background: var(--teal-soft);
    }
    .second::before {
      content: '+ ';
    }
    .both {
      color: var(--ink-2);
    }
  `,
})
export class ExchangeCompare {
  readonly #api = inject(Api);
  readonly #mask = inject(SecretMask);
  readonly first = input.required<Exchange>();
  readonly second = input.required<Exchange>();
  readonly secrets = signal(false);
  readonly #bodies = resource({
    params: () => [sentBody(this.first()), sentBody(this.second()), answerBody(this.first()), answerBody(this.second())],
    loader: ({ params }) => Promise.all(params.map((param) => this.#text(param))),
  });
  readonly sections = computed(() => {
    const shown = (exchange: Exchange) => (this.secrets() ? exchange : this.#mask.knownIn(maskExchange(exchange)));
    const [left, right] = [shown(this.first()), shown(this.second())];
    const body = (at: number) => {
      const text = this.#bodies.value()?.[at] ?? '';
      return this.secrets() ? text : this.#mask.text(text);
    };
    return [
      section('Request', `${verbOf(left)} ${left.url}`, `${verbOf(right)} ${right.url}`),
      section('Request headers', lines(sentHeaders(left)), lines(sentHeaders(right))),
      section('Request body', body(0), body(1)),
      section('Response', statusOf(left), statusOf(right)),
      section('Response headers', lines(answerHeaders(left)), lines(answerHeaders(right))),
      section('Response body', body(2), body(3)),
    ];
  });

  async #text(ref: BodyRef | null): Promise<string> {
    if (!ref || bodyKind(ref.mimeType) === 'binary') return ref ? `${ref.size} bytes, ${ref.hash}` : '';
    const text = (await firstValueFrom(this.#api.body(ref.hash))).slice(0, mostCharacters);
    if (bodyKind(ref.mimeType) === 'form') return text.replace(/&/g, '\n');
    if (bodyKind(ref.mimeType) !== 'json') return text.replace(/></g, '>\n<');
    try {
      return JSON.stringify(JSON.parse(text), null, 1);
    } catch {
      return text;
    }
  }
}

const lines = (headers: readonly Header[]): string => headers.map((header) => header.join(': ')).join('\n');

function section(name: string, left: string, right: string): { name: string; same: boolean; lines: Line[] } {
  if (left === right) return { name, same: true, lines: [] };
  const found = diffLines(`${left}\n`, `${right}\n`).flatMap((part): Line[] => {
    const texts = part.value.replace(/\n$/, '').split('\n');
    const side = part.added ? 'second' : part.removed ? 'first' : 'both';
    const folded =
      side === 'both' && texts.length > 6
        ? [...texts.slice(0, 2), `… ${texts.length - 4} lines that are the same`, ...texts.slice(-2)]
        : texts;
    return folded.map((text) => ({ text, side }));
  });
  return { name, same: false, lines: found };
}
