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
import { RouterLink } from '@angular/router';
import { yaml } from '@codemirror/lang-yaml';
import { MergeView } from '@codemirror/merge';
import { EditorState } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import { Store } from '@ngrx/store';
import type { ScriptVersion } from '@sturdy/core';
import { basicSetup } from 'codemirror';
import { forkJoin } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import { editorTheme } from '../shared/editor-theme';
import { moment } from '../shared/format';
import { loadScriptOf } from './script-of-address';
import { scriptsActions } from './scripts.actions';
import { scriptsFeature } from './scripts.feature';

/** Who changed what in a script and when; two versions beside each other as text, and each to be had back. */
@Component({
  selector: 'app-history-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `<div class="whole">
    <div class="page-head">
      <h1>
        <a [routerLink]="['/scripts', id()]">{{ script()?.name ?? 'Script' }}</a> · versions
      </h1>
      <span class="muted small">who changed what, and when</span>
    </div>
    @if (problem(); as told) {
      <p class="note bad" role="alert">{{ told }}</p>
    }
    <div class="columns">
      <ol class="card-box" aria-label="Versions">
        @for (one of versions(); track one.number) {
          <li [class.on]="one.number === right()?.number">
            <button class="as-row" (click)="show(one)">
              <b>{{ one.what }}</b>
              <span class="muted small">{{ one.by }} · {{ moment(one.at) }} · version {{ one.number }}</span>
            </button>
          </li>
        } @empty {
          <li class="pad muted">No version yet. The first is kept with the first change.</li>
        }
      </ol>
      <section class="card-box middle" aria-label="What differs">
        @if (right(); as own) {
          <div class="bar">
            <span>
              <label class="small"
                >Version
                <select #other (change)="setLeft(+other.value)">
                  @for (one of versions(); track one.number) {
                    @if (one.number !== own.number) {
                      <option [value]="one.number" [selected]="one.number === left()?.number">
                        {{ one.number }} · {{ one.what.slice(0, 50) }}
                      </option>
                    }
                  }
                </select></label
              >
              <span class="muted small"> beside version {{ own.number }}</span>
            </span>
            <span class="grow"></span>
            <button class="act slim" (click)="restore(own)" [disabled]="own.number === versions()[0]?.number">
              <i class="bi bi-arrow-counterclockwise" aria-hidden="true"></i>Have version {{ own.number }} back
            </button>
          </div>
        }
        <div #place class="place" [class.lone]="left() === null"></div>
      </section>
    </div>
  </div>`,
  styles: `
    .whole {
      height: 100%;
      display: flex;
      flex-direction: column;
      padding: 14px 18px;
      min-height: 0;
    }
    h1 a {
      color: var(--ink);
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
export class HistoryScreen {
  readonly #api = inject(Api);
  readonly #store = inject(Store);
  readonly id = input.required<string>();
  readonly script = this.#store.selectSignal(scriptsFeature.selectCurrent);
  readonly versions = signal<readonly ScriptVersion[]>([]);
  readonly right = signal<ScriptVersion | null>(null);
  readonly left = signal<ScriptVersion | null>(null);
  readonly problem = signal<string | null>(null);
  readonly moment = moment;
  protected readonly place = viewChild.required<ElementRef<HTMLElement>>('place');
  readonly #pair = computed(() => ({ left: this.left()?.number, right: this.right()?.number }));
  #view: MergeView | EditorView | null = null;

  constructor() {
    loadScriptOf(this.id);
    effect(() => {
      const id = this.id();
      untracked(() => {
        this.#load(id);
      });
    });
    effect(() => {
      const { left, right } = this.#pair();
      if (right === undefined) return;
      const id = untracked(this.id);
      forkJoin([left === undefined ? [{ text: '' }] : this.#api.scriptTextAt(id, left), this.#api.scriptTextAt(id, right)]).subscribe({
        next: ([before, after]) => {
          this.#draw(left === undefined ? null : before.text, after.text);
        },
        error: this.#failed,
      });
    });
    inject(DestroyRef).onDestroy(() => this.#view?.destroy());
  }
  readonly #failed = (error: unknown): void => {
    this.problem.set(problemOf(error));
  };

  #load(id: string): void {
    this.#api.scriptVersions(id).subscribe({
      next: (versions) => {
        this.versions.set(versions);
        const [newest] = versions;
        if (newest) this.show(newest);
      },
      error: this.#failed,
    });
  }
  /** Shows a version beside the one before it. */
  show(version: ScriptVersion): void {
    this.left.set(this.versions().find((one) => one.number < version.number) ?? null);
    this.right.set(version);
  }
  setLeft(number: number): void {
    this.left.set(this.versions().find((one) => one.number === number) ?? null);
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
      EditorView.contentAttributes.of({ 'aria-label': 'Script as text', tabindex: '0' }),
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
  restore(version: ScriptVersion): void {
    this.#api.restoreScript(this.id(), version.number).subscribe({
      next: ({ script }) => {
        this.#store.dispatch(scriptsActions.replaced({ script }));
        this.#load(script.id);
      },
      error: this.#failed,
    });
  }
}
