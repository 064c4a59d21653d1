import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import type { DifferenceRow } from '@sturdy/core';
import { SecretMask } from '../shared/secret-mask';

interface Shown {
  at: number;
  kind: DifferenceRow['kind'];
  left: string;
  right: string;
  /** What stands in the place of folded lines. */
  folded: string;
}

const keptLines = 2;
const longestLine = 2000;

const cut = (line: string): string => (line.length > longestLine ? `${line.slice(0, longestLine)}…` : line);

/** Two texts beside each other; what is the same, and what differs harmlessly, is folded. */
@Component({
  selector: 'app-difference-view',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<p class="small mb-2">
      <b>{{ summary() }}</b>
      @if (harmless() > 0) {
        <span class="muted ms-2">{{ harmless() }} harmless {{ harmless() === 1 ? 'difference' : 'differences' }} folded</span>
        <button class="act slim ms-2" (click)="all.set(!all())">{{ all() ? 'Fold them' : 'Show them' }}</button>
      }
      @if (hasSecrets()) {
        <button class="act slim ms-2" (click)="secrets.set(!secrets())">{{ secrets() ? 'Mask secrets' : 'Show secrets' }}</button>
      }
    </p>
    <div class="grid2" tabindex="0" role="region" [attr.aria-label]="label()">
      <div class="side-head">{{ leftName() }}</div>
      <div class="side-head">{{ rightName() }}</div>
      @for (row of shown(); track row.at) {
        @if (row.folded) {
          <button class="fold" (click)="open(row.at)">{{ row.folded }}</button>
        } @else {
          <pre [class]="'left ' + row.kind">{{ row.left }}</pre>
          <pre [class]="'right ' + row.kind">{{ row.right }}</pre>
        }
      }
    </div>`,
  styles: `
    .grid2 {
      display: grid;
      grid-template-columns: 1fr 1fr;
      grid-auto-rows: max-content;
      border: 1px solid var(--line);
      border-radius: 6px;
      background: var(--paper);
      overflow: auto;
      max-height: 100%;
    }
    .side-head {
      position: sticky;
      top: 0;
      background: var(--surface);
      border-bottom: 1px solid var(--line);
      padding: 3px 10px;
      font-size: 12px;
      font-weight: 650;
      color: var(--ink-2);
    }
    pre {
      margin: 0;
      padding: 1px 10px;
      font: 12px/1.55 var(--mono);
      overflow: visible;
      white-space: pre-wrap;
      overflow-wrap: anywhere;
      min-width: 0;
      color: var(--ink);
    }
    .right {
      border-left: 1px solid var(--line);
    }
    .differs.left {
      background: var(--clay-soft);
    }
    .differs.right {
      background: var(--teal-soft);
    }
    .harmless {
      color: var(--ink-2);
      font-style: italic;
    }
    .fold {
      grid-column: 1 / -1;
      border: 0;
      background: var(--sunk);
      color: var(--ink-2);
      font-size: 12px;
      text-align: left;
      padding: 2px 10px;
    }
    .fold:hover {
      color: var(--ink);
    }
  `,
})
export class DifferenceView {
  readonly #mask = inject(SecretMask);
  readonly rows = input.required<readonly DifferenceRow[]>();
  readonly leftName = input('Recorded');
  readonly rightName = input('Replayed');
  readonly label = input('Differences');
  readonly all = signal(false);
  readonly secrets = signal(false);
  readonly #opened = signal<ReadonlySet<number>>(new Set());
  readonly differing = computed(() => this.rows().filter((row) => row.kind === 'differs').length);
  readonly summary = computed(() => {
    const count = this.differing();
    if (this.rows().length === 0) return 'Both are empty.';
    if (count === 0) return this.harmless() === 0 ? 'The two are the same.' : 'Nothing differs but what moves on each visit.';
    return count === 1 ? '1 place differs.' : `${count} places differ.`;
  });
  readonly hasSecrets = computed(() =>
    this.rows().some((row) => [...row.left, ...row.right].some((line) => this.#mask.line(line) !== line)),
  );
  readonly harmless = computed(() => this.rows().filter((row) => row.kind === 'harmless').length);
  readonly shown = computed(() => {
    const rows = this.rows();
    const shortened = (texts: readonly string[]): string =>
      texts.map((line) => cut(this.secrets() ? line : this.#mask.line(line))).join('\n');
    return rows.flatMap((row, at): Shown[] => {
      const whole = { at, kind: row.kind, left: shortened(row.left), right: shortened(row.right), folded: '' };
      if (row.kind === 'differs' || this.#opened().has(at) || (row.kind === 'harmless' && this.all())) return [whole];
      if (row.kind === 'harmless')
        return [
          {
            ...whole,
            folded: `${lines(row.left.length)} ${row.left.length === 1 ? 'differs' : 'differ'} only in ${row.why.join(', ') || 'what moves'}`,
          },
        ];
      if (row.left.length <= 2 * keptLines + 1) return [whole];
      const [first, last] = [at === 0, at === rows.length - 1];
      const part = (from: number, to: number, key: number): Shown => ({
        ...whole,
        at: key,
        left: shortened(row.left.slice(from, to)),
        right: shortened(row.right.slice(from, to)),
      });
      const count = row.left.length - (first ? 0 : keptLines) - (last ? 0 : keptLines);
      return [
        ...(first ? [] : [part(0, keptLines, at + 0.1)]),
        { ...whole, folded: `${lines(count)} the same` },
        ...(last ? [] : [part(row.left.length - keptLines, row.left.length, at + 0.3)]),
      ];
    });
  });

  open(at: number): void {
    this.#opened.update((before) => new Set([...before, at]));
  }
}

const lines = (count: number): string => `${count} ${count === 1 ? 'line' : 'lines'}`;
