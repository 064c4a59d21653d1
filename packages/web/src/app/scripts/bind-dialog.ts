import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import {
  allRows,
  formLike,
  GeneratedValueSchema,
  movingPieces,
  placesOf,
  recordedSteps,
  textWith,
  ValueFormSchema,
  type DataRow,
  type DataTable,
  type GeneratedValue,
  type Script,
  type Template,
  type ValuePlace,
} from '@sturdy/core';
import { Api } from '../shared/api';
import { figure } from '../shared/format';
import { WhyNot } from '../shared/why-not';
import { madeNames } from './made-names';
import { TemplateField } from './steps/template-field';

/** What the tester chose: what stands there from now on, and the places. */
export interface BindChoice {
  places: Pick<ValuePlace, 'step' | 'place' | 'part'>[];
  template: Template;
  made: GeneratedValue[];
  /** Name of the variable that code is to compute before the first of the places; null where none is. */
  computes: string | null;
}

type By = 'data' | 'handoff' | 'made' | 'variable' | 'code' | 'text';
const ways: { id: By; name: string }[] = [
  { id: 'data', name: 'a column of a data table' },
  { id: 'handoff', name: 'a handoff that this script reads' },
  { id: 'made', name: 'a value that the client makes' },
  { id: 'variable', name: 'a variable' },
  { id: 'code', name: 'what a code step computes' },
  { id: 'text', name: 'a text of your own, with values in it' },
];
/** So many of the first rows are tried. */
const previewed = 3;

/** Asks what replaces a recorded value, with every place where it is sent, ticked. */
@Component({
  selector: 'app-bind-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, TemplateField, WhyNot],
  template: `<div class="modal-header">
      <h2 class="m-0">Replace “{{ short() }}”</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <div class="two">
        <label class="field"
          >by
          <select #way (change)="setWay(way.value)">
            @for (way of ways; track way.id) {
              <option [value]="way.id" [selected]="way.id === by()">{{ way.name }}</option>
            }
          </select></label
        >
        @switch (by()) {
          @case ('data') {
            @if (columns().length > 0) {
              <label class="field"
                >Column
                <select #choice (change)="choose(+choice.value)">
                  @for (column of columns(); track $index) {
                    <option [value]="$index" [selected]="$index === chosen()">
                      {{ column.table.name }} · {{ column.column }} ({{ figure(column.table.rowCount - column.table.spentCount) }} free
                      rows)
                    </option>
                  }
                </select></label
              >
            }
          }
          @case ('handoff') {
            <label class="field"
              >Handoff
              <select #handoff (change)="handoffAt.set(+handoff.value)">
                @for (handoff of script()?.handoffs ?? []; track handoff.id; let at = $index) {
                  <option [value]="at" [selected]="at === handoffAt()">
                    {{ handoff.name }} (recorded {{ handoff.recorded.slice(0, 24) }})
                  </option>
                }
              </select></label
            >
          }
          @case ('made') {
            <label class="field"
              >Made as
              <select #made (change)="setMade(made.value)">
                @for (offered of makings; track offered.id) {
                  <option [value]="offered.id" [selected]="offered.id === making()">{{ offered.name }}</option>
                }
              </select></label
            >
          }
          @case ('variable') {
            <label class="field"
              >Name of the variable <input class="mono" [value]="variable()" #name (input)="variable.set(name.value)"
            /></label>
          }
          @case ('code') {
            <label class="field"
              >The code sets the variable <input class="mono" [value]="variable()" #computed (input)="variable.set(computed.value)"
            /></label>
          }
        }
      </div>
      @if (by() === 'text' && script(); as shownScript) {
        <app-template-field label="What is sent" [script]="shownScript" [value]="text()" (changed)="text.set($event)" />
      }
      @if (by() === 'data' || by() === 'handoff' || by() === 'variable') {
        <div class="two">
          <label class="field"
            >Written as
            <input class="mono" list="forms" [value]="form()" #form_ (input)="setForm(form_.value)" placeholder="as it stands there"
          /></label>
          <p class="muted small m-0 align-self-end">
            {{ formProblem() ?? 'Such as 0.00, #,0.00, dd.MM.yyyy, or [1..4] for its first four signs. Empty: as it stands there.' }}
          </p>
        </div>
        <datalist id="forms">
          @for (form of forms; track form) {
            <option [value]="form"></option>
          }
        </datalist>
      }
      @if (preview().length > 0) {
        <div class="note" role="status">
          It would send
          @for (previewed of preview(); track $index) {
            <span class="mono">{{ $first ? '' : ', ' }}“{{ previewed.length > 40 ? previewed.slice(0, 40) + '…' : previewed }}”</span>
          }
          with the first rows; recorded was <span class="mono">“{{ short() }}”</span>.
        </div>
      }
      @if (by() === 'data' && columns().length === 0) {
        <p class="mt-2">There is no data table yet. Import one or generate rows first.</p>
        <a class="act main" routerLink="/data" (click)="modal.dismiss()">Open the data</a>
      } @else {
        <b class="small d-block mt-3">It is sent at {{ places().length }} {{ places().length === 1 ? 'place' : 'places' }}</b>
        <div class="places">
          @for (place of places(); track $index) {
            <label class="d-flex gap-2 align-items-center mono"
              ><input type="checkbox" [checked]="!left().has($index)" (change)="toggle($index)" /> step {{ place.number }},
              {{ place.name }} · {{ place.place }}{{ place.part ? ' (a part of it)' : '' }}</label
            >
          }
        </div>
        <p class="muted small mt-3 mb-0">
          {{ told() }} Places with another wrapping (JSON inside a form, percent signs) are found too, and what they are wrapped in stays.
        </p>
      }
    </div>
    <div class="modal-footer">
      <button class="act" (click)="modal.dismiss()">Cancel</button>
      <button class="act main" (click)="done()" [whyNot]="problem()">Replace it</button>
    </div>`,
  styles: `
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 12px;
      margin-bottom: 8px;
    }
    .places {
      max-height: 34vh;
      overflow: auto;
    }
  `,
})
export class BindDialog {
  readonly modal = inject(NgbActiveModal);
  readonly #api = inject(Api);
  readonly script = signal<Script | null>(null);
  readonly value = signal('');
  readonly tables = signal<readonly DataTable[]>([]);
  readonly ways = ways;
  readonly figure = figure;
  readonly makings = GeneratedValueSchema.shape.made.options.map((id) => ({ id, name: madeNames[id].full }));
  readonly by = signal<By>('data');
  readonly chosen = signal(0);
  readonly handoffAt = signal(0);
  readonly making = signal<GeneratedValue['made']>('unique-text');
  readonly variable = signal('computed');
  readonly text = signal<Template>([]);
  readonly left = signal<ReadonlySet<number>>(new Set());
  readonly forms = [
    '0',
    '0.00',
    '0,00',
    '#,0.00',
    '#.0,00',
    'dd.MM.yyyy',
    'MM/dd/yyyy',
    'yyyy-MM-dd',
    "yyyy-MM-dd'T'HH:mm:ss",
    'x',
    '[1..4]',
  ];
  /** The form in which the value is written; empty for as it stands there. */
  readonly form = signal('');
  /** True once the tester has written a form; until then it follows what was recorded. */
  #isOwnForm = false;
  readonly formProblem = computed(() => {
    const checked = this.form() === '' ? null : ValueFormSchema.safeParse(this.form());
    return checked && !checked.success ? (checked.error.issues[0]?.message ?? null) : null;
  });
  readonly #as = computed(() => (this.form() === '' || this.formProblem() !== null ? {} : { as: this.form() }));
  /** The first rows of the tables that are looked at, by table. */
  readonly #rows = signal<ReadonlyMap<string, readonly DataRow[]>>(new Map());
  /** What would be sent with each of the first rows. */
  readonly preview = computed((): string[] => {
    const template = this.template();
    const tables = [...movingPieces(template)].flatMap((piece) => (piece.kind === 'data' ? [piece.table] : []));
    const [first] = tables;
    const count = (first === undefined ? undefined : this.#rows().get(first))?.length ?? 0;
    return Array.from({ length: Math.min(previewed, count) }, (_, at) =>
      textWith(template, (piece) => (piece.kind === 'data' ? this.#cell(piece.table, piece.column, at) : undefined)),
    );
  });
  readonly short = computed(() => (this.value().length > 40 ? `${this.value().slice(0, 40)}…` : this.value()));
  readonly columns = computed(() => this.tables().flatMap((table) => table.columns.map(({ name }) => ({ table, column: name }))));
  readonly places = computed(() => {
    const script = this.script();
    if (!script) return [];
    const names = new Map(recordedSteps(script).map(({ step }) => [step.id, step.name]));
    return placesOf(script, this.value()).map((place) => ({ ...place, name: names.get(place.step) ?? '' }));
  });
  readonly #made = computed<GeneratedValue>(() => {
    const taken = new Set(this.script()?.made.map((made) => made.id));
    const names = new Set([...(this.script()?.made ?? []), ...(this.script()?.handoffs ?? [])].map((named) => named.name));
    const free = (wanted: string, has: ReadonlySet<string>): string => {
      let name = wanted;
      for (let count = 2; has.has(name); count++) name = `${wanted} ${count}`;
      return name;
    };
    return {
      id: free('own', taken),
      name: free(madeNames[this.making()].full, names),
      made: this.making(),
      recorded: this.value(),
      reason: 'It was chosen by hand.',
    };
  });
  readonly template = computed<Template>(() => {
    const recorded = this.value();
    switch (this.by()) {
      case 'data': {
        const column = this.columns()[this.chosen()];
        return column ? [{ kind: 'data', table: column.table.id, column: column.column, ...this.#as(), recorded }] : [];
      }
      case 'handoff': {
        const handoff = this.script()?.handoffs[this.handoffAt()];
        return handoff ? [{ kind: 'handoff', handoff: handoff.id, ...this.#as(), recorded }] : [];
      }
      case 'made':
        return [{ kind: 'made', made: this.#made().id, recorded }];
      case 'variable':
        return this.variable().trim() === '' ? [] : [{ kind: 'variable', name: this.variable().trim(), ...this.#as(), recorded }];
      case 'code':
        return this.variable().trim() === '' ? [] : [{ kind: 'variable', name: this.variable().trim(), recorded }];
      case 'text':
        return this.text();
    }
  });
  /** Why nothing can be replaced as it stands. */
  readonly problem = computed(() =>
    this.template().length === 0
      ? ({ data: 'There is no column to choose.', handoff: 'This script reads no handoff.' }[this.by() as string] ??
        'Name the variable first.')
      : this.left().size === this.places().length
        ? 'No place is ticked.'
        : this.formProblem(),
  );
  readonly told = computed(
    () =>
      ({
        data: 'Every virtual user gets its own row, and no row is dealt twice.',
        handoff: 'What the handoff read last is sent.',
        made: 'It stays the same within one iteration and changes in the next; clocks are read each time.',
        variable: 'Set it in a step before, or in the environment.',
        code: 'A code step is put in before the first of these places; it must set the variable.',
        text: 'Several columns, handoffs and variables may stand in it.',
      })[this.by()],
  );

  /** Starts with what would be chosen most likely. */
  start(script: Script, value: string, name: string, tables: readonly DataTable[], by: By = 'data'): void {
    if (/^[A-Za-z]\w*$/.test(name)) this.variable.set(name);
    this.script.set(script);
    this.value.set(value);
    this.tables.set(tables);
    this.text.set([{ kind: 'text', text: value }]);
    this.by.set(by);
    for (const { id } of tables)
      this.#api.viewTable(id, allRows, 0, previewed, false).subscribe(({ rows }) => {
        this.#rows.set(new Map(this.#rows()).set(id, rows));
        this.#proposeForm();
      });
  }
  choose(at: number): void {
    this.chosen.set(at);
    this.#isOwnForm = false;
    this.#proposeForm();
  }
  setForm(text: string): void {
    this.#isOwnForm = true;
    this.form.set(text.trim());
  }
  /** Writes the values of a column as the recorded one was written, where that is another form. */
  #proposeForm(): void {
    const column = this.columns()[this.chosen()];
    if (this.#isOwnForm || !column || this.by() !== 'data') return;
    const sample = this.#cell(column.table.id, column.column, 0);
    this.form.set(sample === undefined ? '' : (formLike(this.value(), sample) ?? ''));
  }
  #cell(table: string, column: string, at: number): string | undefined {
    const known = this.tables().find((dataTable) => dataTable.id === table);
    const index = known?.columns.findIndex((dataColumn) => dataColumn.name === column) ?? -1;
    return this.#rows().get(table)?.[at]?.values[index];
  }
  setWay(text: string): void {
    const way = ways.find((candidate) => candidate.id === text);
    if (!way) return;
    this.by.set(way.id);
    if (this.#isOwnForm) return;
    this.form.set('');
    this.#proposeForm();
  }
  setMade(text: string): void {
    const known = GeneratedValueSchema.shape.made.safeParse(text);
    if (known.success) this.making.set(known.data);
  }
  toggle(index: number): void {
    const next = new Set(this.left());
    if (!next.delete(index)) next.add(index);
    this.left.set(next);
  }
  done(): void {
    const choice: BindChoice = {
      template: this.template(),
      made: this.by() === 'made' ? [this.#made()] : [],
      computes: this.by() === 'code' ? this.variable().trim() : null,
      places: this.places()
        .filter((_, index) => !this.left().has(index))
        .map(({ step, place, part }) => ({ step, place, ...(part && { part }) })),
    };
    this.modal.close(choice);
  }
}
