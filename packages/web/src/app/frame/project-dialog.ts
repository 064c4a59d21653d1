import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import { FailureSignSchema, type Criterion, type FailureSign, type ProjectSettings } from '@sturdy/core';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { FailureSigns } from '../shared/failure-signs';
import { LimitRows } from '../shared/limit-rows';
import { Api, problemOf } from '../shared/api';
import { Person } from '../shared/person';
import { WhyNot } from '../shared/why-not';

/** What holds for the whole project: who works here, what no good answer of any script holds, and what every run must hold. */
@Component({
  selector: 'app-project-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, FailureSigns, LimitRows],
  template: `<div class="modal-header">
      <h2 class="m-0">Project</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <label class="field mb-3" style="max-width: 300px"
        >Your name, for the list of changes
        <input [value]="name()" #own (input)="name.set(own.value)" placeholder="as this machine calls you"
      /></label>
      @if (loaded()) {
        <h3>Failure signs</h3>
        <p class="muted small">
          Texts that no good answer contains, whatever its status. An answer that contains one fails its step in every rehearsal and run.
        </p>
        <app-failure-signs [signs]="signs()" (changed)="signs.set($event)" (failed)="problem.set($event)" />
        <h3 class="mt-3">Criteria</h3>
        <p class="muted small">Limits for every run whose workload sets none of its own.</p>
        <app-limit-rows what="criterion" [limits]="criteria()" [transactions]="transactions()" (changed)="criteria.set($any($event))" />
      } @else if (!problem()) {
        <p class="muted small">Reading what the project has so far…</p>
      }
      @if (problem(); as sentence) {
        <p class="note bad mt-2 mb-0" role="alert">{{ sentence }}</p>
      }
    </div>
    <div class="modal-footer">
      <button class="act" (click)="modal.dismiss()">Cancel</button>
      <button
        class="act main"
        (click)="save()"
        [whyNot]="!loaded() ? 'The settings of the project are being read.' : !complete() && 'A sign, or a limit, is not complete.'"
      >
        Save
      </button>
    </div>`,
  styles: `
    h3 {
      font-size: 14px;
      font-weight: 640;
      margin: 0 0 2px;
    }
  `,
})
export class ProjectDialog {
  readonly #api = inject(Api);
  readonly #person = inject(Person);
  readonly modal = inject(NgbActiveModal);
  readonly name = signal(this.#person.name());
  readonly criteria = signal<readonly Criterion[]>([]);
  readonly #store = inject(Store);
  readonly #scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  readonly transactions = computed(() => [...new Set(this.#scripts().flatMap((script) => script.transactions.map(({ name }) => name)))]);
  /** What is written before the settings have come would be lost, and would wipe out theirs. */
  readonly loaded = signal(false);
  readonly signs = signal<readonly FailureSign[]>([]);
  readonly problem = signal<string | null>(null);
  readonly complete = computed(() => this.signs().every((sign) => FailureSignSchema.safeParse(sign).success));

  /** Settings that are changed elsewhere. */
  #others: Pick<ProjectSettings, 'watches'> = { watches: [] };

  constructor() {
    this.#store.dispatch(scriptsActions.listAsked());
    this.#api.projectSettings().subscribe({
      next: ({ failureSigns, criteria, ...others }) => {
        this.#others = others;
        this.signs.set(failureSigns);
        this.criteria.set(criteria);
        this.loaded.set(true);
      },
      error: this.#failed,
    });
  }
  readonly #failed = (error: unknown): void => {
    this.problem.set(problemOf(error));
  };
  save(): void {
    this.#person.rename(this.name());
    this.#api.saveProjectSettings({ ...this.#others, failureSigns: [...this.signs()], criteria: [...this.criteria()] }).subscribe({
      next: () => {
        this.modal.close();
      },
      error: this.#failed,
    });
  }
}
