import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { yaml } from '@codemirror/lang-yaml';
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import { Store } from '@ngrx/store';
import { actionSteps, type Script, type TextProblem } from '@sturdy/core';
import { basicSetup } from 'codemirror';
import { catchError, debounceTime, EMPTY, Subject, switchMap } from 'rxjs';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Api, problemOf } from '../shared/api';
import { editorTheme } from '../shared/editor-theme';
import { scriptsActions } from '../state/scripts.actions';

/** Typing rests this long before the text is read. */
const restMs = 500;

/** A script as YAML: what is typed is read when typing rests, and becomes the script where nothing is wrong with it. */
@Component({
  selector: 'app-script-text',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div class="state" role="status" [class.bad]="problems().length > 0">
      @if (failure(); as sentence) {
        {{ sentence }}
      } @else if (problems().length > 0) {
        <b>{{ problems().length }} {{ problems().length === 1 ? 'problem' : 'problems' }}; the script stays as it was.</b>
        @for (problem of problems().slice(0, 3); track $index) {
          <button class="where" (click)="go(problem)">Line {{ problem.line }}, column {{ problem.column }}</button> {{ problem.message }}
        }
      } @else {
        {{ waiting() ? 'Reading what you typed…' : 'The text and the outline are the same script.' }}
      }
    </div>
    <div #place class="place"></div>`,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      height: 100%;
    }
    .state {
      font-size: 13px;
      color: var(--ink-2);
      padding: 6px 18px;
      overflow-wrap: anywhere;
    }
    .state.bad {
      color: var(--ink);
      background: var(--red-soft);
    }
    .where {
      border: 0;
      background: none;
      color: var(--teal);
      text-decoration: underline;
      padding: 0;
      margin-left: 8px;
    }
    .place {
      flex: 1;
      min-height: 0;
      margin-left: 18px;
      border: 1px solid var(--line);
      border-radius: 6px;
      overflow: hidden;
    }
  `,
})
export class ScriptTextView {
  readonly #api = inject(Api);
  readonly #store = inject(Store);
  readonly script = input.required<Script>();
  /** Step that the text is to show. */
  readonly step = input<string | null>(null);
  /** The step in which the cursor stands. */
  readonly stepFound = output<string>();
  readonly problems = signal<readonly TextProblem[]>([]);
  readonly failure = signal<string | null>(null);
  readonly waiting = signal(false);
  protected readonly place = viewChild.required<ElementRef<HTMLElement>>('place');
  readonly #typed = new Subject<string>();
  /** The script that the text is; a script that came from the text needs no new text. */
  #known: Script | null = null;
  #view: EditorView | null = null;
  /** The step that the cursor and the rest of the screen agree on. */
  #told: string | null = null;

  constructor() {
    effect(() => {
      const script = this.script();
      if (script !== this.#known) untracked(() => this.#load(script));
    });
    effect(() => {
      const step = this.step();
      untracked(() => this.#show(step));
    });
    this.#typed
      .pipe(
        debounceTime(restMs),
        switchMap((text) =>
          this.#api.saveScriptText(this.script().id, text).pipe(
            catchError((error: unknown) => {
              this.waiting.set(false);
              this.failure.set(problemOf(error));
              return EMPTY;
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe(({ script, problems }) => {
        this.waiting.set(false);
        this.failure.set(null);
        this.#mark(problems);
        if (problems.length > 0) return;
        this.#known = script;
        this.#store.dispatch(scriptsActions.textApplied({ script }));
      });
    inject(DestroyRef).onDestroy(() => this.#view?.destroy());
  }

  go({ line, column }: TextProblem): void {
    const view = this.#view;
    if (!view || line > view.state.doc.lines) return;
    const at = Math.min(view.state.doc.line(line).from + column - 1, view.state.doc.length);
    view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) });
    view.focus();
  }

  #load(script: Script): void {
    this.#api.scriptText(script).subscribe({
      next: ({ text }) => {
        if (this.script() !== script) return;
        this.#known = script;
        this.failure.set(null);
        this.#mark([]);
        this.#put(text);
      },
      error: (error: unknown) => {
        this.failure.set(problemOf(error));
      },
    });
  }

  /** Shows a text that was not typed here; what the tester looks at stays in sight. */
  #put(text: string): void {
    const before = this.#view;
    if (before) {
      if (before.state.doc.toString() === text) return;
      const top = before.scrollDOM.scrollTop;
      before.setState(this.#state(text));
      before.scrollDOM.scrollTop = top;
      return;
    }
    this.#view = new EditorView({ state: this.#state(text), parent: this.place().nativeElement });
    this.#told = null;
    this.#show(this.step());
  }

  #state(text: string): EditorState {
    return EditorState.create({
      doc: text,
      extensions: [
        basicSetup,
        yaml(),
        lintGutter(),
        EditorView.contentAttributes.of({ 'aria-label': 'The script as YAML', tabindex: '0' }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) {
            this.waiting.set(true);
            this.#typed.next(update.state.doc.toString());
          }
          if (update.selectionSet && update.view.hasFocus) this.#tellStep(update.state);
        }),
        editorTheme,
      ],
    });
  }

  #mark(problems: readonly TextProblem[]): void {
    this.problems.set(problems);
    const view = this.#view;
    if (!view) return;
    const marks = problems.map((problem): Diagnostic => {
      const line = view.state.doc.line(Math.min(Math.max(1, problem.line), view.state.doc.lines));
      const from = Math.min(line.to, line.from + Math.max(0, problem.column - 1));
      return { from, to: Math.max(from, line.to), severity: 'error', message: problem.message };
    });
    view.dispatch(setDiagnostics(view.state, marks));
  }

  /** Tells the action whose lines hold the cursor. */
  #tellStep({ doc, selection }: EditorState): void {
    const actions = new Set(actionSteps(this.script()).map(({ step }) => step.id));
    for (let line = doc.lineAt(selection.main.head).number; line >= 1; line--) {
      const found = /^\s*id: (\S+)$/.exec(doc.line(line).text)?.[1];
      if (found === undefined) continue;
      if (actions.has(found) && found !== this.#told) {
        this.#told = found;
        this.stepFound.emit(found);
      }
      return;
    }
  }

  #show(step: string | null): void {
    const view = this.#view;
    // Where the cursor led to the step, it stands there already.
    if (!view || step === null || step === this.#told) return;
    this.#told = step;
    const { doc } = view.state;
    for (let line = 1; line <= doc.lines; line++)
      if (doc.line(line).text.trim() === `id: ${step}`) {
        const at = doc.line(line).from;
        view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'start', yMargin: 60 }) });
        return;
      }
  }
}
