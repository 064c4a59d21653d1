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
import { sql, type SQLNamespace } from '@codemirror/lang-sql';
import { EditorState, Prec } from '@codemirror/state';
import { EditorView, keymap } from '@codemirror/view';
import { Store } from '@ngrx/store';
import {
  answerOptions,
  answerShape,
  askedTables,
  defused,
  exampleQuestions,
  mostAsked,
  QuestionSchema,
  SavedQuestionSchema,
  type QuestionAnswer,
  type Run,
  type SavedQuestion,
} from '@sturdy/core';
import { basicSetup } from 'codemirror';
import { stringify } from 'csv-stringify/browser/esm/sync';
import type { Subscription } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import { Chart } from '../shared/chart';
import { ConfirmDelete } from '../shared/confirm-delete';
import { editorTheme } from '../shared/editor-theme';
import { figure } from '../shared/format';
import { nextId } from '../shared/next-id';
import { WhyNot } from '../shared/why-not';
import { exploreActions } from '../state/explore.actions';
import { exploreFeature } from '../state/explore.feature';

/** Rows that are shown; all of them are in the chart and the CSV. */
const mostShown = 500;

const tableNames: SQLNamespace = Object.fromEntries(askedTables.map(({ name, columns }) => [name, columns.map((column) => column.name)]));

/** Questions in SQL over ended runs: the tables beside them, and answers as table, chart and CSV. */
@Component({
  selector: 'app-question-console',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Chart, ConfirmDelete, WhyNot],
  templateUrl: './question-console.html',
  styleUrl: './question-console.scss',
})
export class QuestionConsole {
  readonly #api = inject(Api);
  readonly #store = inject(Store);
  readonly runs = input.required<readonly Run[]>();
  /** Id of the run that is asked first. */
  readonly first = input.required<string>();
  readonly place = viewChild.required<ElementRef<HTMLElement>>('place');
  readonly questions = this.#store.selectSignal(exploreFeature.selectQuestions);
  readonly #views = this.#store.selectSignal(exploreFeature.selectViews);
  readonly tables = askedTables;
  readonly examples = exampleQuestions;
  readonly mostAsked = mostAsked;
  readonly mostShown = mostShown;
  readonly figure = figure;
  readonly asked = signal<readonly string[]>([]);
  readonly text = signal(exampleQuestions[0]?.sql ?? '');
  readonly limitSeconds = signal(20);
  readonly answer = signal<QuestionAnswer | null>(null);
  readonly problem = signal<string | null>(null);
  readonly isAsking = signal(false);
  readonly isDrawn = signal(false);
  readonly naming = signal(false);
  readonly name = signal('');
  readonly #question = computed(() => ({ runs: [...this.asked()], sql: this.text(), limitSeconds: this.limitSeconds() }));
  readonly whyNot = computed(() => {
    if (this.isAsking()) return 'A question is being answered.';
    return (
      QuestionSchema.safeParse(this.#question())
        .error?.issues.map(({ message }) => message)
        .join(' ') ?? null
    );
  });
  readonly shape = computed(() => {
    const answer = this.answer();
    return answer && answerShape(answer);
  });
  readonly options = computed(() => {
    const [answer, shape] = [this.answer(), this.shape()];
    return answer && shape ? (colour: (name: string) => string) => answerOptions(answer, shape, colour) : null;
  });
  #view: EditorView | null = null;
  #asking: Subscription | null = null;

  constructor() {
    effect(() => {
      const first = this.first();
      untracked(() => {
        if (this.asked().length === 0 && first !== '') this.asked.set([first]);
      });
    });
    effect(() => {
      const { nativeElement } = this.place();
      untracked(() => this.#openEditor(nativeElement));
    });
    inject(DestroyRef).onDestroy(() => {
      this.#asking?.unsubscribe();
      this.#view?.destroy();
    });
  }

  #openEditor(parent: HTMLElement): void {
    const extensions = [
      Prec.highest(
        keymap.of([
          {
            key: 'Mod-Enter',
            run: () => {
              this.ask();
              return true;
            },
          },
        ]),
      ),
      basicSetup,
      sql({ schema: tableNames, upperCaseKeywords: true }),
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ 'aria-label': 'The question in SQL', tabindex: '0' }),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) this.text.set(update.state.doc.toString());
      }),
      editorTheme,
    ];
    this.#view = new EditorView({ state: EditorState.create({ doc: this.text(), extensions }), parent });
  }

  /** Writes a question into the editor. */
  write(question: string): void {
    this.text.set(question);
    this.#view?.dispatch({ changes: { from: 0, to: this.#view.state.doc.length, insert: question } });
    this.#view?.focus();
  }
  toggle(id: string): void {
    this.asked.update((asked) => (asked.includes(id) ? asked.filter((other) => other !== id) : [...asked, id]));
  }
  ask(): void {
    if (this.whyNot() !== null) return;
    this.isAsking.set(true);
    this.problem.set(null);
    this.#asking = this.#api.askQuestion(this.#question()).subscribe({
      next: (answer) => {
        this.isAsking.set(false);
        this.answer.set(answer);
      },
      error: (error: unknown) => {
        this.isAsking.set(false);
        this.problem.set(problemOf(error));
      },
    });
  }
  cancel(): void {
    // Whoever leaves ends the question on the server, too.
    this.#asking?.unsubscribe();
    this.isAsking.set(false);
    this.problem.set('The question was canceled.');
  }
  cell(value: QuestionAnswer['rows'][number][number]): string {
    return value === null ? '' : typeof value === 'number' ? value.toLocaleString('en', { maximumFractionDigits: 6 }) : String(value);
  }
  isNumber(at: number): boolean {
    return typeof this.answer()?.rows.find((row) => row[at] !== null)?.[at] === 'number';
  }
  csv(): void {
    const answer = this.answer();
    if (!answer) return;
    const rows = [
      answer.columns.map(({ name }) => name),
      ...answer.rows.map((row) => row.map((value) => (value === null ? '' : String(value)))),
    ];
    // After RFC 4180; what a spreadsheet would compute is defused.
    const text = stringify(
      rows.map((row) => row.map(defused)),
      { record_delimiter: 'windows' },
    );
    const link = document.createElement('a');
    link.href = URL.createObjectURL(new Blob([text], { type: 'text/csv' }));
    link.download = 'answer.csv';
    link.click();
    URL.revokeObjectURL(link.href);
  }
  #keep(questions: readonly SavedQuestion[]): void {
    this.#store.dispatch(exploreActions.keepWanted({ views: this.#views(), questions }));
  }
  keep(): void {
    const question = { id: nextId('q', this.questions()), name: this.name().trim(), sql: this.text() };
    if (!SavedQuestionSchema.safeParse(question).success) return;
    this.naming.set(false);
    this.name.set('');
    this.#keep([...this.questions(), question]);
  }
  drop({ id }: SavedQuestion): void {
    this.#keep(this.questions().filter((question) => question.id !== id));
  }
}
