import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { DomSanitizer } from '@angular/platform-browser';
import { NgbDropdownModule } from '@ng-bootstrap/ng-bootstrap/dropdown';
import { Store } from '@ngrx/store';
import { briefTemplates, topologyOf, topologySvg, type Brief, type BriefTemplate } from '@sturdy/core';
import { projectId } from '../shared/api';
import { moment } from '../shared/format';
import { NumberField } from '../shared/number-field';
import { Person } from '../shared/person';
import { VerdictShape } from '../shared/verdict-shape';
import { WhyNot } from '../shared/why-not';
import { briefActions } from '../state/brief.actions';
import { briefFeature } from '../state/brief.feature';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { briefLists, keyColumns, keyRows, keysOfRows, measures } from './brief-lists';
import { EditableRows, type EditableRow } from './editable-rows';
import { SizingSheet } from './sizing-sheet';

const formats = [
  { ending: 'pdf', name: 'PDF' },
  { ending: 'docx', name: 'DOCX' },
  { ending: 'md', name: 'Markdown' },
  { ending: 'html', name: 'HTML' },
];

/** What the test is for and what “good” is: written here, signed here, and what every run is judged by. */
@Component({
  selector: 'app-brief-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [EditableRows, NgbDropdownModule, NumberField, SizingSheet, VerdictShape, WhyNot],
  templateUrl: './brief-screen.html',
  styleUrl: './brief-screen.scss',
})
export class BriefScreen {
  readonly #store = inject(Store);
  readonly #sanitizer = inject(DomSanitizer);
  readonly view = this.#store.selectSignal(briefFeature.selectView);
  readonly saving = this.#store.selectSignal(briefFeature.selectSaving);
  readonly brief = computed(() => this.view()?.brief ?? null);
  readonly #scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  /** Names of transactions that scripts have. */
  readonly transactionNames = computed(() => [
    ...new Set(this.#scripts().flatMap(({ transactions }) => transactions.map(({ name }) => name))),
  ]);
  /** Key transactions that no script plays. */
  readonly unknown = computed(() =>
    (this.brief()?.transactions ?? [])
      .map(({ transaction }) => transaction)
      .filter((name) => name !== '' && !this.transactionNames().includes(name)),
  );
  readonly keyNames = computed(() => new Set((this.brief()?.transactions ?? []).map(({ transaction }) => transaction)));
  readonly keyRows = computed(() => keyRows(this.brief()?.transactions ?? []));
  readonly hosts = computed(() => this.brief()?.hosts ?? []);
  readonly linkColumns = computed(() => {
    const choices = this.hosts().map(({ id, name }) => ({ value: id, name: name === '' ? id : name }));
    return [
      { key: 'from', name: 'From', kind: 'choice' as const, choices, width: '30%' },
      { key: 'to', name: 'To', kind: 'choice' as const, choices, width: '30%' },
      { key: 'label', name: 'By', kind: 'text' as const, placeholder: 'such as HTTPS' },
    ];
  });
  readonly freshLink = computed(() => ({ from: this.hosts()[0]?.id ?? '', to: this.hosts()[1]?.id ?? '', label: '' }));
  readonly topology = computed(() => {
    const brief = this.brief();
    if (!brief || brief.hosts.length === 0) return null;
    const colours = { ink: 'var(--ink)', soft: 'var(--ink-2)', line: 'var(--ink-3)', box: 'var(--surface)' };
    // Every text in it is escaped where it is drawn.
    return this.#sanitizer.bypassSecurityTrustHtml(topologySvg(topologyOf(brief), colours));
  });
  readonly person = inject(Person);
  readonly signer = signal(this.person.name());
  readonly role = signal('');
  readonly templates = briefTemplates;
  readonly isEmpty = computed(() => {
    const brief = this.brief();
    return brief !== null && brief.aims === '' && brief.transactions.length === 0 && brief.hosts.length === 0;
  });
  readonly formats = formats;
  readonly keyColumns = computed(() =>
    keyColumns(this.#scripts().filter(({ transactions }) => transactions.some(({ name }) => this.keyNames().has(name)))),
  );
  readonly lists = briefLists;
  readonly measures = measures;
  readonly moment = moment;
  readonly signedAddress = (by: string): string => `/api/projects/${projectId}/brief/signed.pdf?by=${encodeURIComponent(by)}`;
  readonly exportAddress = (ending: string): string => `/api/projects/${projectId}/brief.${ending}`;

  constructor() {
    this.#store.dispatch(briefActions.asked());
    this.#store.dispatch(scriptsActions.listAsked());
  }

  change(changes: Partial<Brief>): void {
    const brief = this.brief();
    if (brief) this.#store.dispatch(briefActions.changed({ brief: { ...brief, ...changes } }));
  }
  /** Takes the rows of a list; the list is checked where it is stored. */
  changeList(key: keyof Brief, rows: EditableRow[]): void {
    this.change({ [key]: rows });
  }
  changeKeys(rows: EditableRow[]): void {
    this.change({ transactions: keysOfRows(rows) });
  }
  rowsOf(key: keyof Brief): readonly EditableRow[] {
    return (this.brief()?.[key] ?? []) as unknown as readonly EditableRow[];
  }
  use({ brief }: BriefTemplate): void {
    const { signatures: _signatures, pacing: _pacing, ...given } = brief;
    this.change(given);
  }
  sign(): void {
    if (this.person.name() === '') this.person.rename(this.signer());
    this.#store.dispatch(briefActions.signatureWanted({ by: this.signer().trim(), role: this.role().trim() }));
  }
  unsign(by: string): void {
    this.#store.dispatch(briefActions.signatureTakenBack({ by }));
  }
  pace({ scriptId, seconds }: { scriptId: string; seconds: number }): void {
    this.change({ pacing: { ...this.brief()?.pacing, [scriptId]: seconds } });
  }
  makeWorkload(): void {
    this.#store.dispatch(briefActions.workloadWanted());
  }
}
