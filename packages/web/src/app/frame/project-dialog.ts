import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap';
import { Store } from '@ngrx/store';
import { FailureSignSchema, type Criterion, type FailureSign, type ProjectSettings } from '@sturdy/core';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { LimitRows } from '../shared/limit-rows';
import { Api, problemOf } from '../shared/api';
import type { HeldSign } from '@sturdy/core';
import { Person } from './person';
import { WhyNot } from '../shared/why-not';

const kinds: { id: FailureSign['kind']; name: string; example: string }[] = [
  { id: 'text', name: 'a text in the answer', example: 'Your visit has ended' },
  { id: 'title', name: 'a title of a page', example: 'Something went wrong' },
  { id: 'element', name: 'an XML element or a JSON member', example: 'fault' },
];

/** What holds for the whole project: who works here, what no good answer of any script holds, and what every run must hold. */
@Component({
  selector: 'app-project-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, LimitRows],
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
        @for (failureSign of signs(); track $index; let at = $index) {
          <div class="sign">
            <select #kind [attr.aria-label]="'Kind of sign ' + (at + 1)" (change)="set(at, { kind: $any(kind.value) })">
              @for (kind of kinds; track kind.id) {
                <option [value]="kind.id" [selected]="kind.id === failureSign.kind">{{ kind.name }}</option>
              }
            </select>
            <input
              class="mono"
              [value]="failureSign.text"
              #text
              [attr.aria-label]="'Sign ' + (at + 1)"
              [placeholder]="exampleOf(failureSign.kind)"
              (input)="set(at, { text: text.value })"
            />
            <button class="act slim" (click)="attempt(at)" [whyNot]="failureSign.text.trim() === '' && 'Write the text of the sign first.'">
              Try it
            </button>
            <button class="act slim" (click)="remove(at)" [attr.aria-label]="'Remove sign ' + (at + 1)">
              <i class="bi bi-trash" aria-hidden="true"></i>
            </button>
          </div>
          @if (tried(); as result) {
            @if (result.at === at) {
              @if (result.held.length === 0) {
                <p class="note good">No recorded answer contains it, so it will catch only answers that failed.</p>
              } @else {
                <div class="note warn" role="status">
                  {{ result.held.length === 1 ? 'A recorded answer contains' : 'Recorded answers contain' }} it, so good steps would fail:
                  @for (held of result.held.slice(0, 4); track $index) {
                    <div class="mono small">{{ held.take }}, {{ held.exchange }}: {{ held.url }}</div>
                  }
                </div>
              }
            }
          }
        } @empty {
          <p class="small">None yet. An application that says “your session has expired” with status 200 is caught by such a sign.</p>
        }
        <button class="act slim" (click)="add()"><i class="bi bi-plus" aria-hidden="true"></i>Add a sign</button>
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
    .sign {
      display: grid;
      grid-template-columns: 220px 1fr auto auto;
      gap: 8px;
      align-items: center;
      margin-bottom: 8px;
    }
    .sign input {
      min-width: 0;
      color: var(--ink);
      background: var(--surface);
      border: 1px solid var(--line-strong);
      border-radius: 6px;
      padding: 4px 9px;
    }
  `,
})
export class ProjectDialog {
  readonly #api = inject(Api);
  readonly #person = inject(Person);
  readonly modal = inject(NgbActiveModal);
  readonly kinds = kinds;
  readonly name = signal(this.#person.name());
  readonly criteria = signal<readonly Criterion[]>([]);
  readonly #store = inject(Store);
  readonly #scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  readonly transactions = computed(() => [...new Set(this.#scripts().flatMap((script) => script.transactions.map(({ name }) => name)))]);
  /** What is written before the settings have come would be lost, and would wipe out theirs. */
  readonly loaded = signal(false);
  readonly signs = signal<readonly FailureSign[]>([]);
  readonly problem = signal<string | null>(null);
  readonly tried = signal<{ at: number; held: readonly HeldSign[] } | null>(null);
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
  exampleOf(kind: FailureSign['kind']): string {
    return kinds.find((candidate) => candidate.id === kind)?.example ?? '';
  }
  add(): void {
    this.signs.set([...this.signs(), { kind: 'text', text: '' }]);
  }
  set(at: number, change: Partial<FailureSign>): void {
    const sign = this.signs()[at];
    if (sign) this.signs.set(this.signs().with(at, { ...sign, ...change }));
    this.tried.set(null);
  }
  remove(at: number): void {
    this.signs.set(this.signs().toSpliced(at, 1));
    this.tried.set(null);
  }
  attempt(at: number): void {
    const sign = this.signs()[at];
    if (!sign) return;
    this.problem.set(null);
    this.#api.tryFailureSign(sign).subscribe({
      next: (held) => {
        this.tried.set({ at, held });
      },
      error: this.#failed,
    });
  }
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
