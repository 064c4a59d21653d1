import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import {
  type Deal,
  boundColumns,
  mostRounds,
  actionKindOf,
  actionSteps,
  recordedOrigins,
  resolveTarget,
  type DataTable,
  type Environment,
  type RehearsalWish,
  type Script,
} from '@sturdy/core';
import { WhyNot } from '../shared/why-not';

/** What is to be done: play once, or play and repair in rounds. */
export type RehearsalKind = 'rehearse' | 'repair';

/** What the tester chose in the dialog. */
export interface RehearsalChoice {
  wish: RehearsalWish;
  /** True where the dialog is not wanted before the next rehearsal of this script. */
  known: boolean;
}

/** Says beforehand what a rehearsal will do to the application, and asks how it is to be played. */
@Component({
  selector: 'app-rehearse-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot],
  template: `<div class="modal-header">
      <h2 class="m-0">{{ kind() === 'repair' ? 'Rehearse and repair' : 'Rehearse' }} “{{ script()?.name }}”</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <div class="note" [class]="environment()?.productionLike ? 'bad' : 'warn'">
        <b>This makes real records.</b>
        One virtual user plays the script{{ kind() === 'repair' ? ', up to ' + mostRounds + ' times' : twice() ? ', and once more' : '' }}.
        Each time it makes what a person would make: {{ changing() }} of its {{ count() }} steps can change something in the application ({{
          methods()
        }}). They go to
        @for (target of targets(); track target) {
          <span class="mono">{{ target }}</span>{{ $last ? '' : ', ' }}
        }
        in the environment <b>{{ environment()?.name }}</b>{{
          environment()?.productionLike ? ', which is production-like: make sure that this is meant' : ''
        }}.
        @if (refused(); as sentence) {
          <br /><b>Not allowed yet:</b> {{ sentence }}
        }
      </div>
      @if (kind() === 'rehearse') {
        <fieldset class="mt-3">
          <legend>How</legend>
          <label class="d-flex gap-2"
            ><input type="radio" name="mode" [checked]="mode() === 'through'" (change)="mode.set('through')" /> Straight through</label
          >
          <label class="d-flex gap-2"
            ><input type="radio" name="mode" [checked]="mode() === 'step'" (change)="mode.set('step')" /> Step by step: it waits before each
            request</label
          >
          <label class="d-flex gap-2 align-items-center"
            ><input type="radio" name="mode" [checked]="mode() === 'until'" (change)="mode.set('until')" /> Up to
            <select aria-label="Last step to be played" class="grow" #last (change)="setUntil(last.value)">
              @for (step of steps(); track step.step.id) {
                <option [value]="step.step.id" [selected]="step.step.id === until()">{{ step.number }} · {{ step.step.name }}</option>
              }
            </select></label
          >
          <label class="d-flex gap-2 mt-2"
            ><input type="checkbox" [checked]="twice()" [disabled]="mode() !== 'through'" (change)="twice.set(!twice())" /> Twice in a row:
            only that proves a pass</label
          >
        </fieldset>
      }
      @if (tables().length > 0) {
        <fieldset class="mt-3">
          <legend>Data</legend>
          @for (table of tables(); track table.id) {
            <label class="field"
              >Row of {{ table.name }}, {{ becomes[table.deal.use] }}
              <input
                type="number"
                min="1"
                [max]="table.rowCount"
                [placeholder]="'the next free one (' + (table.rowCount - table.spentCount) + ' are free)'"
                [disabled]="kind() === 'repair'"
                #row
                (input)="setRow(table.id, row.value)"
            /></label>
          }
        </fieldset>
      }
      @if (!environment()?.productionLike) {
        <label class="d-flex gap-2 mt-3 small"
          ><input type="checkbox" [checked]="known()" (change)="known.set(!known())" /> I know this; start at once the next time I rehearse
          this script</label
        >
      }
    </div>
    <div class="modal-footer">
      <button class="act" (click)="modal.dismiss()">Cancel</button>
      <button class="act main" (click)="done()" [whyNot]="refused()">
        <i class="bi bi-play-fill" aria-hidden="true"></i>{{ kind() === 'repair' ? 'Start the rounds' : 'Start' }}
      </button>
    </div>`,
  styles: `
    legend {
      font-size: 13px;
      font-weight: 650;
      margin-bottom: 4px;
    }
    .grow {
      flex: 1;
      min-width: 0;
    }
    .field input {
      width: 100%;
    }
  `,
})
export class RehearseDialog {
  /** What becomes of a row that a rehearsal is dealt. */
  readonly becomes: Record<Deal['use'], string> = { once: 'spent for good', exclusive: 'held while it plays', again: 'dealt again later' };
  readonly modal = inject(NgbActiveModal);
  readonly kind = signal<RehearsalKind>('rehearse');
  readonly script = signal<Script | null>(null);
  readonly environment = signal<Environment | null>(null);
  readonly allTables = signal<readonly DataTable[]>([]);
  readonly mode = signal<'through' | 'step' | 'until'>('through');
  readonly until = signal<string | null>(null);
  readonly twice = signal(false);
  readonly known = signal(false);
  readonly mostRounds = mostRounds;
  readonly #rows = new Map<string, number>();
  readonly steps = computed(() => {
    const script = this.script();
    return script ? actionSteps(script) : [];
  });
  readonly count = computed(() => this.steps().length);
  readonly #changing = computed(() => this.steps().filter(({ step }) => actionKindOf(step).mayChange(step)));
  readonly changing = computed(() => this.#changing().length);
  readonly methods = computed(() => {
    const counts = new Map<string, number>();
    for (const { step } of this.#changing()) {
      const verb = actionKindOf(step).verb(step);
      counts.set(verb, (counts.get(verb) ?? 0) + 1);
    }
    return [...counts].map(([method, count]) => `${count} ${method}`).join(', ') || 'none by its method';
  });
  readonly #resolved = computed(() => {
    const environment = this.environment();
    const script = this.script();
    return environment && script ? recordedOrigins(script).map((origin) => resolveTarget(origin, environment, Date.now())) : [];
  });
  readonly targets = computed(() => [...new Set(this.#resolved().flatMap((target) => ('origin' in target ? [target.origin] : [])))]);
  readonly refused = computed(() => this.#resolved().flatMap((target) => ('refused' in target ? [target.refused] : []))[0] ?? null);
  readonly tables = computed(() => {
    const script = this.script();
    const bound = script ? boundColumns(script) : new Map<string, Set<string>>();
    return this.allTables().filter((table) => bound.has(table.id));
  });

  setUntil(step: string): void {
    this.until.set(step);
    this.mode.set('until');
  }
  setRow(table: string, row: string): void {
    if (row === '') this.#rows.delete(table);
    else this.#rows.set(table, Number(row));
  }
  done(): void {
    const until = this.until() ?? this.steps()[0]?.step.id ?? null;
    const choice: RehearsalChoice = {
      known: this.known(),
      wish: {
        mode: this.mode() === 'step' ? 'step' : 'through',
        until: this.mode() === 'until' ? until : null,
        twice: this.mode() === 'through' && this.twice(),
        rows: [...this.#rows].map(([table, row]) => ({ table, row })),
      },
    };
    this.modal.close(choice);
  }
}
