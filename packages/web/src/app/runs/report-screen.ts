import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { DomSanitizer } from '@angular/platform-browser';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import {
  htmlOf,
  liveFigureHint,
  plainSettings,
  plainTemplate,
  reportSections,
  sectionNames,
  shortTemplate,
  type ListedReport,
  type ReportSection,
  type ReportTemplate,
} from '@sturdy/core';
import { catchError, debounceTime, map, NEVER, of, startWith, switchMap } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import { moment } from '../shared/format';
import { nextId } from '../shared/next-id';
import { styleNonce } from '../shared/style-nonce';
import { WhyNot } from '../shared/why-not';
import { runsActions } from '../state/runs.actions';
import { isLive, runsFeature } from '../state/runs.feature';

/** A pause in typing after which the report is made anew. */
const quietMs = 500;
const formats = ['pdf', 'docx', 'html', 'md', 'xlsx', 'csv'] as const;
const formatNames: Readonly<Record<(typeof formats)[number], string>> = {
  pdf: 'PDF',
  docx: 'DOCX',
  html: 'HTML',
  md: 'Markdown',
  xlsx: 'Workbook',
  csv: 'CSV',
};

/** A report of a run: what it holds at the left, how it looks at the right; issued, it stays as it is. */
@Component({
  selector: 'app-report-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, WhyNot],
  templateUrl: './report-screen.html',
  styleUrls: ['./run-frame.scss', './report-screen.scss'],
})
export class ReportScreen {
  readonly #api = inject(Api);
  readonly #store = inject(Store);
  readonly #sanitizer = inject(DomSanitizer);
  readonly id = input.required<string>();
  readonly template = signal<ReportTemplate>(plainTemplate);
  readonly against = signal<string>('');
  readonly settings = signal(plainSettings);
  readonly issued = signal<readonly ListedReport[]>([]);
  readonly problem = signal<string | null>(null);
  readonly busy = signal(false);
  /** Name under which a template is to be kept, as it is typed. */
  readonly kept = signal('');
  readonly #runs = this.#store.selectSignal(runsFeature.selectList);
  readonly run = computed(() => this.#runs().find(({ id }) => id === this.id()));
  /** Runs that this one can be set against. */
  readonly others = computed(() => this.#runs().filter((run) => run.id !== this.id() && !isLive(run)));
  readonly templates = computed(() => [plainTemplate, shortTemplate, ...(this.settings().reportTemplates ?? [])]);
  readonly missing = computed(() =>
    reportSections.filter((kind) => kind === 'text' || !this.template().sections.some((section) => section.kind === kind)),
  );
  /** True where the making was broken off; it begins anew with the next change. */
  readonly isCanceled = linkedSignal({ source: () => [this.id(), this.template(), this.against()], computation: () => false });
  readonly #wish = computed(() => ({ id: this.id(), template: this.template(), against: this.against() === '' ? [] : [this.against()] }));
  readonly #making = computed(() => ({ ...this.#wish(), isCanceled: this.isCanceled() }));
  /** The report as it would be issued; null while it is made. */
  readonly preview = toSignal(
    toObservable(this.#making).pipe(
      debounceTime(quietMs),
      switchMap(({ id, template, against, isCanceled }) =>
        (isCanceled ? NEVER : this.#api.report(id, template, against)).pipe(
          map((document) => {
            this.problem.set(null);
            // What stands in it is escaped where it is written, and its frame may run nothing.
            return this.#sanitizer.bypassSecurityTrustHtml(htmlOf(document, styleNonce));
          }),
          catchError((error: unknown) => {
            this.problem.set(problemOf(error));
            return of(null);
          }),
          startWith(null),
        ),
      ),
    ),
    { initialValue: null },
  );
  /** How far the making is; null until something was heard of it. */
  readonly progress = toSignal(
    toObservable(computed(() => ({ id: this.id(), isMaking: !this.isCanceled() && (this.preview() === null || this.busy()) }))).pipe(
      switchMap(({ id, isMaking }) => (isMaking ? this.#api.reportProgress(id).pipe(startWith(null)) : of(null))),
    ),
    { initialValue: null },
  );
  readonly sectionNames = sectionNames;
  readonly liveFigureHint = liveFigureHint;
  readonly liveFigureExample = '~{p95 Book intake}';
  readonly formats = formats;
  readonly formatNames = formatNames;
  readonly moment = moment;

  constructor() {
    this.#store.dispatch(runsActions.listAsked());
    effect(() => {
      // The lists are those of the project, so they are read once; a run of it is what they belong to.
      this.id();
      this.#ask();
    });
  }

  #ask(): void {
    this.#api.projectSettings().subscribe({
      next: (settings) => {
        this.settings.set(settings);
      },
      error: this.#tell,
    });
    this.#api.reports().subscribe({
      next: (issued) => {
        this.issued.set(issued);
      },
      error: this.#tell,
    });
  }
  readonly #tell = (error: unknown): void => {
    this.busy.set(false);
    this.problem.set(problemOf(error));
  };

  choose(id: string): void {
    const chosen = this.templates().find((template) => template.id === id);
    if (chosen) this.template.set(chosen);
  }
  change(changes: Partial<ReportTemplate>): void {
    this.template.update((template) => ({ ...template, ...changes }));
  }
  add(kind: string): void {
    if (kind !== '') this.change({ sections: [...this.template().sections, { kind: kind as ReportSection, title: '', text: '' }] });
  }
  remove(at: number): void {
    this.change({ sections: this.template().sections.filter((_, place) => place !== at) });
  }
  move(at: number, by: -1 | 1): void {
    const sections = [...this.template().sections];
    const [moved] = sections.splice(at, 1);
    if (moved) sections.splice(at + by, 0, moved);
    this.change({ sections });
  }
  setSection(at: number, changes: { title?: string; text?: string }): void {
    this.change({ sections: this.template().sections.map((section, place) => (place === at ? { ...section, ...changes } : section)) });
  }
  /** Takes a picture as a logo. */
  async takeLogo(file: File | undefined): Promise<void> {
    if (!file) return;
    const bytes = new Uint8Array(await file.arrayBuffer());
    let text = '';
    for (const byte of bytes) text += String.fromCharCode(byte);
    this.change({ logo: `data:${file.type};base64,${btoa(text)}` });
  }
  /** Keeps what is chosen as a template of the project. */
  keep(name: string): void {
    const known = this.settings().reportTemplates ?? [];
    const template = { ...this.template(), id: nextId('t', known), name: name.trim() };
    const settings = { ...this.settings(), reportTemplates: [...known, template] };
    this.#api.saveProjectSettings(settings).subscribe({
      next: () => {
        this.settings.set(settings);
        this.template.set(template);
      },
      error: this.#tell,
    });
  }
  issue(): void {
    const { id, template, against } = this.#wish();
    this.busy.set(true);
    this.#api.issueReport(id, template, against).subscribe({
      next: (report) => {
        this.busy.set(false);
        this.issued.update((issued) => [report, ...issued]);
      },
      error: this.#tell,
    });
  }
  delete(id: string): void {
    this.#api.deleteReport(id).subscribe({
      next: () => {
        this.issued.update((issued) => issued.filter((report) => report.id !== id));
      },
      error: this.#tell,
    });
  }
}
