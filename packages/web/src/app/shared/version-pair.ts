import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { yaml } from '@codemirror/lang-yaml';
import { MergeView } from '@codemirror/merge';
import { EditorState } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import type { Version } from '@sturdy/core';
import { basicSetup } from 'codemirror';
import { forkJoin, type Observable, of } from 'rxjs';
import { problemOf } from './api';
import { editorTheme } from './editor-theme';
import { moment } from './format';
import { WhyNot } from './why-not';

/** Where versions of something come from. */
export interface VersionSource {
  versions: () => Observable<Version[]>;
  /** The text of a version, by its number, or of another thing of the kind, by its key. */
  textOf: (what: number | string) => Observable<{ text: string }>;
  /** Has a version back, and tells whoever shows the thing itself. */
  restore: (number: number) => Observable<unknown>;
}

/** Something that a version can be laid beside: another version, or another thing of the same kind. */
interface Other {
  key: string;
  name: string;
}

/** The versions of something, each laid beside another as text, and each to be had back. */
@Component({
  selector: 'app-version-pair',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot],
  template: `@if (problem(); as sentence) {
      <p class="note bad" role="alert">{{ sentence }}</p>
    }
    <div class="columns">
      <ol class="card-box" aria-label="Versions">
        @for (entry of versions(); track entry.number) {
          <li [class.on]="entry.number === shown()?.number">
            <button class="as-row" (click)="show(entry)">
              <b>{{ entry.what }}</b>
              <span class="muted small">{{ entry.by }} · {{ moment(entry.at) }} · version {{ entry.number }}</span>
            </button>
          </li>
        } @empty {
          <li class="pad muted">No version yet. The first is kept with the first change.</li>
        }
      </ol>
      <section class="card-box middle" aria-label="What differs">
        @if (shown(); as shownShown) {
          <div class="bar">
            <label class="small"
              >Beside
              <select #other (change)="beside.set(other.value)">
                @for (beside of besides(); track beside.key) {
                  <option [value]="beside.key" [selected]="beside.key === left()">{{ beside.name }}</option>
                }
              </select></label
            >
            <span class="muted small">left · version {{ shownShown.number }} right</span>
            <span class="grow"></span>
            <button
              class="act slim"
              (click)="restore(shownShown.number)"
              [whyNot]="shownShown.number === versions()[0]?.number && 'This is the version that is there now.'"
            >
              <i class="bi bi-arrow-counterclockwise" aria-hidden="true"></i>Have version {{ shownShown.number }} back
            </button>
          </div>
        }
        <div #place class="place" [class.lone]="left() === null"></div>
      </section>
    </div>`,
  styles: `
    :host {
      flex: 1;
      min-height: 0;
      display: flex;
      flex-direction: column;
    }
    .columns {
      flex: 1;
      min-height: 0;
      display: grid;
      grid-template-columns: 270px minmax(0, 1fr);
      gap: 12px;
    }
    ol {
      list-style: none;
      margin: 0;
      padding: 0;
      overflow: auto;
    }
    .as-row {
      display: grid;
      width: 100%;
      text-align: left;
      border: 0;
      border-left: 3px solid transparent;
      border-bottom: 1px solid var(--line);
      background: none;
      color: var(--ink);
      padding: 7px 10px;
      font-size: 13px;
      overflow-wrap: anywhere;
    }
    .as-row b {
      font-weight: 550;
    }
    .as-row:hover {
      background: var(--sunk);
    }
    .on .as-row {
      border-left-color: var(--clay);
      background: var(--clay-soft);
    }
    .middle {
      display: flex;
      flex-direction: column;
      min-height: 0;
      overflow: hidden;
    }
    .bar {
      display: flex;
      gap: 8px;
      align-items: center;
      padding: 7px 10px;
      border-bottom: 1px solid var(--line);
    }
    .bar select {
      max-width: 320px;
    }
    .place {
      flex: 1;
      min-height: 0;
      overflow: auto;
    }
    :host ::ng-deep .cm-mergeView {
      height: 100%;
    }
    :host ::ng-deep .cm-changedLine {
      background: var(--ochre-soft) !important;
    }
    :host ::ng-deep .cm-changedText {
      background: var(--clay-soft) !important;
    }
    :host ::ng-deep .cm-merge-a .cm-changedLineGutter {
      background: var(--clay) !important;
    }
    :host ::ng-deep .cm-merge-b .cm-changedLineGutter {
      background: var(--teal) !important;
    }
    :host ::ng-deep .cm-collapsedLines {
      background: var(--sunk);
      color: var(--ink-2);
    }
    :host ::ng-deep .cm-collapsedLines::before,
    :host ::ng-deep .cm-collapsedLines::after {
      content: '…' !important;
    }
  `,
})
export class VersionPair {
  readonly source = input.required<VersionSource>();
  /** Other things of the kind that may stand at the left. */
  readonly others = input<readonly Other[]>([]);
  readonly label = input.required<string>();
  readonly versions = signal<readonly Version[]>([]);
  readonly #chosen = signal<number | null>(null);
  readonly beside = signal<string | null>(null);
  readonly problem = signal<string | null>(null);
  readonly moment = moment;
  protected readonly place = viewChild.required<ElementRef<HTMLElement>>('place');
  readonly shown = computed(() => this.versions().find((version) => version.number === this.#chosen()) ?? this.versions()[0]);
  readonly besides = computed((): Other[] => [
    ...this.versions()
      .filter((version) => version.number !== this.shown()?.number)
      .map((version) => ({ key: String(version.number), name: `version ${version.number} · ${version.what.slice(0, 50)}` })),
    ...this.others(),
  ]);
  /** What stands at the left: as chosen, else the version before; null where there is nothing else. */
  readonly left = computed(() => {
    const shown = this.shown();
    const chosen = this.besides().find((beside) => beside.key === this.beside());
    const before = this.versions().find((version) => shown !== undefined && version.number < shown.number);
    return chosen?.key ?? (before ? String(before.number) : null);
  });
  #view: MergeView | EditorView | null = null;

  constructor() {
    effect(() => {
      const source = this.source();
      untracked(() => {
        this.#load(source);
      });
    });
    effect((whenGone) => {
      const [left, shown, source] = [this.left(), this.shown(), this.source()];
      if (!shown) return;
      const isVersion = left !== null && this.versions().some((version) => String(version.number) === left);
      const before = left === null ? of({ text: '' }) : source.textOf(isVersion ? Number(left) : left);
      const asked = forkJoin([before, source.textOf(shown.number)]).subscribe({
        next: ([was, now]) => {
          this.#draw(left === null ? null : was.text, now.text);
        },
        error: this.#failed,
      });
      whenGone(() => {
        asked.unsubscribe();
      });
    });
    inject(DestroyRef).onDestroy(() => this.#view?.destroy());
  }

  readonly #failed = (error: unknown): void => {
    this.problem.set(problemOf(error));
  };

  #load(source: VersionSource): void {
    source.versions().subscribe({
      next: (versions) => {
        this.versions.set(versions);
      },
      error: this.#failed,
    });
  }

  restore(number: number): void {
    const source = this.source();
    source.restore(number).subscribe({
      next: () => {
        // It is the newest one now.
        this.#chosen.set(null);
        this.#load(source);
      },
      error: this.#failed,
    });
  }

  /** Shows a version, beside the one before it. */
  show(version: Version): void {
    this.beside.set(null);
    this.#chosen.set(version.number);
  }

  #draw(before: string | null, after: string): void {
    this.#view?.destroy();
    const parent = this.place().nativeElement;
    const extensions = [
      basicSetup,
      yaml(),
      editorTheme,
      EditorState.readOnly.of(true),
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ 'aria-label': this.label(), tabindex: '0' }),
    ];
    this.#view =
      before === null
        ? new EditorView({ state: EditorState.create({ doc: after, extensions }), parent })
        : new MergeView({
            a: { doc: before, extensions },
            b: { doc: after, extensions },
            parent,
            collapseUnchanged: { margin: 3, minSize: 6 },
          });
  }
}
