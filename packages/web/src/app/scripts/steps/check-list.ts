import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import {
  actionKindOf,
  isRecorded,
  describeCheck,
  type Check,
  type CheckSuggestion,
  type ActionStep,
  type Script,
  type TriedCheck,
} from '@sturdy/core';
import { dataFeature } from '../../state/data.feature';
import { Api, problemOf } from '../../shared/api';
import { scriptsActions } from '../../state/scripts.actions';
import { CheckForm, failureWords, newCheck } from './check-form';
import { namesFor, templateText } from './template-names';
import { WhyNot } from '../../shared/why-not';

/** The checks of a step: listed, added, tried at once on every answer at hand, and proposed. */
@Component({
  selector: 'app-check-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, CheckForm],
  template: `@for (check of checks(); track check.id) {
      <div class="row">
        <span
          ><b>{{ words(check) }}</b
          ><br /><span class="muted small">Where it fails: {{ failures[check.onFailure] }}</span></span
        >
        <span class="tools">
          <button class="act slim" (click)="open(check)">Change</button>
          <button class="act slim" (click)="remove(check)" [attr.aria-label]="'Delete the check ' + words(check)">
            <i class="bi bi-trash" aria-hidden="true"></i>
          </button>
        </span>
      </div>
    } @empty {
      @if (!draft()) {
        <p class="muted small">
          No checks yet. Without them a step passes once its status, kind and title are as in the take; a check asks for what only a good
          answer says.
        </p>
      }
    }
    @if (draft(); as shownDraft) {
      <div class="draft card-box pad">
        <app-check-form
          [script]="script()"
          [looksAt]="kind().checks"
          [extractors]="kind().extractors"
          [value]="shownDraft"
          (changed)="draft.set($event)"
        />
        <div class="tried" role="status">
          @if (problem(); as sentence) {
            <p class="note bad">{{ sentence }}</p>
          }
          @for (trial of tried(); track $index) {
            <div class="small" [class.fails]="trial.failure !== null && !trial.stepFailed">
              <b>{{ sourceOf(trial) }}</b> {{ trial.failure ?? 'holds' }}
              @if (trial.failure !== null && trial.stepFailed) {
                <span class="muted">(the step had failed there)</span>
              }
            </div>
          }
        </div>
        <div class="d-flex gap-2">
          <button class="act main" (click)="keep(shownDraft)" [whyNot]="problem()">Keep this check</button>
          <button class="act" (click)="draft.set(null)">Leave it</button>
        </div>
      </div>
    } @else {
      <div class="d-flex gap-2 mt-2">
        <button class="act" (click)="open(null)"><i class="bi bi-plus" aria-hidden="true"></i>Add a check</button>
        @if (wasRecorded()) {
          <button class="act" (click)="suggest()" [whyNot]="asking() && 'The checks are being worked out.'">
            <i class="bi bi-lightbulb" aria-hidden="true"></i>Suggest checks
          </button>
        }
      </div>
    }
    @if (suggestions(); as all) {
      <div class="mt-3">
        @for (check of all; track check.check.id) {
          <div class="row">
            <span
              ><b>{{ words(check.check) }}</b
              ><br /><span class="muted small"
                >{{ check.reason }} Tried on {{ check.heldOn }} {{ check.heldOn === 1 ? 'good answer' : 'good answers' }}: it holds.</span
              ></span
            >
            <button class="act slim" (click)="accept(check)">Accept</button>
          </div>
        } @empty {
          <p class="muted small">
            Nothing to suggest for this step: what it answers holds no heading, no way out and nothing that was entered.
          </p>
        }
      </div>
    }`,
  styles: `
    .row {
      display: grid;
      grid-template-columns: 1fr auto;
      gap: 10px;
      align-items: start;
      padding: 8px 0;
      border-bottom: 1px solid var(--line);
      font-size: 13px;
      overflow-wrap: anywhere;
    }
    .tools {
      display: flex;
      gap: 4px;
    }
    .draft {
      display: grid;
      gap: 10px;
      margin-top: 8px;
    }
    .fails {
      color: var(--red);
    }
  `,
})
export class CheckList {
  readonly #store = inject(Store);
  readonly #api = inject(Api);
  readonly script = input.required<Script>();
  readonly step = input.required<ActionStep>();
  /** What can be checked and read of its answer. */
  readonly kind = computed(() => actionKindOf(this.step()));
  readonly wasRecorded = computed(() => isRecorded(this.step()));
  readonly #tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly checks = computed(() => this.step().checks ?? []);
  readonly draft = signal<Check | null>(null);
  readonly tried = signal<readonly TriedCheck[]>([]);
  readonly problem = signal<string | null>(null);
  readonly suggestions = signal<readonly CheckSuggestion[] | null>(null);
  readonly asking = signal(false);
  readonly failures = failureWords;
  readonly #names = computed(() => namesFor(this.script(), this.#tables()));
  readonly #stepId = computed(() => this.step().id);
  #timer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    effect(() => {
      this.#stepId();
      untracked(() => {
        this.draft.set(null);
        this.suggestions.set(null);
      });
    });
    // What is being written is tried once typing rests.
    effect(() => {
      const draft = this.draft();
      clearTimeout(this.#timer);
      if (draft) this.#timer = setTimeout(() => this.#try(draft), 300);
    });
  }

  words(check: Check): string {
    return describeCheck(check, (template) => templateText(template, this.#names()));
  }
  sourceOf(check: TriedCheck): string {
    return check.source === 'take' ? 'Take:' : check.source === 'second-take' ? 'Second take:' : `Rehearsal ${check.rehearsal}:`;
  }
  open(check: Check | null): void {
    this.tried.set([]);
    this.problem.set(null);
    this.draft.set(check ?? newCheck(`${this.step().id}-check-${this.checks().length + 1}`));
  }
  keep(check: Check): void {
    const there = this.checks().some((known) => known.id === check.id);
    this.#set(there ? this.checks().map((known) => (known.id === check.id ? check : known)) : [...this.checks(), check]);
    this.draft.set(null);
  }
  remove(check: Check): void {
    this.#set(this.checks().filter((known) => known.id !== check.id));
  }
  accept(suggestion: CheckSuggestion): void {
    this.#set([...this.checks(), suggestion.check]);
    this.suggestions.set(this.suggestions()?.filter((checkSuggestion) => checkSuggestion !== suggestion) ?? null);
  }
  suggest(): void {
    this.asking.set(true);
    this.#api.checkSuggestions(this.script().id).subscribe({
      next: (all) => {
        this.asking.set(false);
        this.suggestions.set(all.filter((suggestion) => suggestion.step === this.step().id));
      },
      error: (error: unknown) => {
        this.asking.set(false);
        this.problem.set(problemOf(error));
      },
    });
  }
  #set(checks: readonly Check[]): void {
    this.#store.dispatch(scriptsActions.edited({ edit: { kind: 'set-checks', id: this.step().id, checks } }));
  }
  #try(check: Check): void {
    this.#api.tryCheck(this.script().id, this.step().id, check).subscribe({
      next: ({ tried, problem }) => {
        if (this.draft() !== check) return;
        this.tried.set(tried);
        this.problem.set(problem);
      },
      error: (error: unknown) => {
        this.problem.set(problemOf(error));
      },
    });
  }
}
