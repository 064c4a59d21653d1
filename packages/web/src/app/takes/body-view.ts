import { ChangeDetectionStrategy, Component, computed, inject, input, resource, signal } from '@angular/core';
import { bodyKind, type BodyRef } from '@sturdy/core';
import { firstValueFrom } from 'rxjs';
import { Api } from '../shared/api';
import { bytes } from '../shared/format';
import { SecretMask } from '../shared/secret-mask';
import { jsonTree, TreeView, xmlTree, type TreeNode } from './tree-view';

const shownCharacters = 60_000;

/** A piece of the text; hits of a search are marked. */
interface Part {
  text: string;
  hit: boolean;
}

/** A stored body: as a tree, in good order or as it came; secrets are masked until asked for, hits of a search marked. */
@Component({
  selector: 'app-body-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [TreeView],
  template: `@if (body(); as shownBody) {
      <div class="line">
        <span class="muted small kind" [title]="shownBody.mimeType"
          >{{ shownBody.mimeType || 'no media type' }}, {{ bytes(shownBody.size) }}</span
        >
        <span class="grow"></span>
        @for (offered of modes(); track offered) {
          <button class="act slim" [class.on]="mode() === offered" [attr.aria-pressed]="mode() === offered" (click)="chosen.set(offered)">
            {{ offered }}
          </button>
        }
        @if (hasSecrets()) {
          <button class="act slim" (click)="secrets.set(!secrets())">{{ secrets() ? 'Mask secrets' : 'Show secrets' }}</button>
        }
      </div>
      @if (shownBody.wholeSize !== undefined && shownBody.wholeSize > shownBody.size) {
        <p class="note warn">Only the first {{ bytes(shownBody.size) }} of {{ bytes(shownBody.wholeSize) }} were kept.</p>
      }
      @if (text.isLoading()) {
        <pre class="body">loading…</pre>
      } @else if (mode() === 'Tree') {
        <div class="tree"><app-tree-view [nodes]="tree()" [secrets]="secrets()" /></div>
      } @else {
        <pre
          class="body"
          tabindex="0"
        >@for (part of parts(); track $index) {@if (part.hit) {<mark>{{ part.text }}</mark>} @else {{{ part.text }}}}</pre>
      }
    } @else {
      <p class="muted small mb-0">No body.</p>
    }`,
  styles: `
    .line {
      display: flex;
      gap: 6px;
      align-items: center;
      margin: 6px 0 4px;
    }
    .kind {
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    .act.on {
      background: var(--clay-soft);
      border-color: var(--clay);
    }
    .tree {
      background: var(--paper);
      border: 1px solid var(--line);
      border-radius: 6px;
      padding: 8px 10px;
      max-height: 420px;
      overflow: auto;
    }
    mark {
      background: var(--ochre-soft);
      color: inherit;
      outline: 1px solid var(--ochre);
      padding: 0;
    }
  `,
})
export class BodyView {
  readonly #api = inject(Api);
  readonly #mask = inject(SecretMask);
  readonly body = input.required<BodyRef | null>();
  /** Text whose places are marked. */
  readonly sought = input('');
  readonly bytes = bytes;
  readonly chosen = signal<string | null>(null);
  readonly secrets = signal(false);
  readonly kind = computed(() => bodyKind(this.body()?.mimeType ?? ''));
  readonly text = resource({
    params: () => this.body() ?? undefined,
    loader: async ({ params }) => (bodyKind(params.mimeType) === 'binary' ? null : firstValueFrom(this.#api.body(params.hash))),
  });
  readonly tree = computed((): TreeNode[] => {
    const text = this.text.value();
    if (text == null) return [];
    try {
      if (this.kind() === 'json') {
        const root = jsonTree('', JSON.parse(text));
        return root.value === undefined ? root.children : [root];
      }
      if (this.kind() === 'xml') {
        const document = new DOMParser().parseFromString(text, 'application/xml');
        return document.querySelector('parsererror') ? [] : [xmlTree(document.documentElement)];
      }
      if (this.kind() === 'form') return [...new URLSearchParams(text)].map(([label, value]) => ({ label, value, children: [] }));
    } catch {
      // What says that it is a document and is none is shown as it came.
    }
    return [];
  });
  readonly modes = computed(() => [...(this.tree().length > 0 ? ['Tree'] : []), ...(this.kind() === 'json' ? ['Pretty'] : []), 'Raw']);
  readonly mode = computed(() => {
    const chosen = this.chosen();
    if (this.sought() !== '' && chosen === null) return 'Raw';
    return chosen !== null && this.modes().includes(chosen) ? chosen : (this.modes()[0] ?? 'Raw');
  });
  readonly hasSecrets = computed(() => {
    const text = this.text.value();
    return text != null && text.length < 2_000_000 && this.#mask.text(text) !== text;
  });
  readonly parts = computed((): Part[] => {
    const text = this.text.value();
    if (text === null) return [{ text: 'Not text.', hit: false }];
    const plain = this.mode() === 'Pretty' ? indented(text ?? '') : (text ?? '');
    const shown = this.secrets() ? plain : this.#mask.text(plain.slice(0, 400_000));
    const cut =
      shown.length > shownCharacters ? `${shown.slice(0, shownCharacters)}\n… cut here; ${bytes(this.body()?.size ?? 0)} in all` : shown;
    return splitHits(cut, this.sought());
  });
}

/** A text cut at every place where `sought` stands, without regard to case. */
export function splitHits(text: string, sought: string): Part[] {
  if (sought === '') return [{ text, hit: false }];
  const parts: Part[] = [];
  const lower = text.toLowerCase();
  const wanted = sought.toLowerCase();
  let from = 0;
  for (let at = lower.indexOf(wanted); at >= 0; at = lower.indexOf(wanted, from)) {
    if (at > from) parts.push({ text: text.slice(from, at), hit: false });
    parts.push({ text: text.slice(at, at + wanted.length), hit: true });
    from = at + wanted.length;
  }
  if (from < text.length) parts.push({ text: text.slice(from), hit: false });
  return parts;
}

function indented(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return text;
  }
}
