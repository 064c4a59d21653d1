import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  output,
  untracked,
  viewChild,
} from '@angular/core';
import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { javascript } from '@codemirror/lang-javascript';
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import { basicSetup } from 'codemirror';
import { editorTheme } from '../../shared/editor-theme';

/** What code finds in the sandbox, for completion. */
const known: { label: string; detail: string }[] = [
  { label: 'answer.status', detail: 'status of the last answer' },
  { label: 'answer.body', detail: 'its body as a text' },
  { label: 'answer.json()', detail: 'its body, read as JSON' },
  { label: 'answer.headers', detail: 'its headers, names in small letters' },
  { label: 'answer.url', detail: 'where it came from' },
  { label: 'variables', detail: 'variables of this user; set one by assigning it' },
  { label: 'handoffs', detail: 'values that were read, by their names' },
  { label: 'row', detail: 'columns of the dealt row' },
  { label: 'next.header(name, text)', detail: 'sets a header of the next request; null takes it away' },
  { label: 'next.query(name, text)', detail: 'sets a parameter of its address' },
  { label: 'next.body(text)', detail: 'replaces its body' },
  { label: "digest('sha256', text)", detail: 'a digest or wrapping: md5, sha256, base64, hex, …' },
  { label: 'log(text)', detail: 'a line in the log' },
  { label: 'fail(text)', detail: 'fails this step' },
  { label: 'now', detail: 'ms since 1970' },
];

/** JavaScript of a code step, with completion of what the sandbox gives it and a mark at the line of an error. */
@Component({
  selector: 'app-code-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div #place class="place"></div>`,
  styles: `
    .place {
      border: 1px solid var(--line-strong);
      border-radius: 6px;
      height: 240px;
      overflow: hidden;
    }
  `,
})
export class CodeField {
  readonly value = input.required<string>();
  readonly error = input<{ line: number; message: string } | null>(null);
  readonly changed = output<string>();
  readonly place = viewChild.required<ElementRef<HTMLElement>>('place');
  #view: EditorView | null = null;

  constructor() {
    effect(() => {
      const value = this.value();
      const place = this.place().nativeElement;
      untracked(() => {
        this.#show(value, place);
      });
    });
    effect(() => {
      const error = this.error();
      const view = this.#view;
      if (!view) return;
      const marks = (problem: { line: number; message: string }): Diagnostic => {
        const { from, to } = view.state.doc.line(Math.min(Math.max(1, problem.line), view.state.doc.lines));
        return { from, to, severity: 'error', message: problem.message };
      };
      view.dispatch(setDiagnostics(view.state, error ? [marks(error)] : []));
    });
    inject(DestroyRef).onDestroy(() => this.#view?.destroy());
  }

  #show(value: string, place: HTMLElement): void {
    const view = (this.#view ??= new EditorView({ state: this.#state(value), parent: place }));
    if (view.state.doc.toString() !== value) view.setState(this.#state(value));
  }

  #state(doc: string): EditorState {
    return EditorState.create({
      doc,
      extensions: [
        basicSetup,
        javascript(),
        EditorView.lineWrapping,
        lintGutter(),
        autocompletion({ override: [complete] }),
        EditorView.contentAttributes.of({ 'aria-label': 'Code', tabindex: '0' }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) this.changed.emit(update.state.doc.toString());
        }),
        editorTheme,
      ],
    });
  }
}

function complete(context: CompletionContext): CompletionResult | null {
  const word = context.matchBefore(/[\w.]*/);
  if (!word || (word.from === word.to && !context.explicit)) return null;
  return { from: word.from, options: known.map((completion) => ({ ...completion, type: 'variable' })) };
}
