import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import {
  addressOrigin,
  allSteps,
  isRecorded,
  actionSteps,
  type CodeStep,
  type Loop,
  type RepeatStep,
  type Script,
  type ScriptEdit,
  type Step,
  type Transaction,
} from '@sturdy/core';
import { dataFeature } from '../../state/data.feature';
import { ExtractorForm } from '../../handoff/extractor-form';
import { Api, problemOf } from '../../shared/api';
import type { TriedCode } from '@sturdy/core';
import { NumberField } from '../../shared/number-field';
import { scriptsActions } from '../../state/scripts.actions';
import { scriptsFeature } from '../../state/scripts.feature';
import { CheckList } from './check-list';
import { CodeField } from './code-field';
import { ConditionFields } from './condition-fields';
import { iconOf, stepKinds } from './step-kinds';
import { TemplateField } from './template-field';
import { WhyNot } from '../../shared/why-not';

/** A step that sends nothing, a container or a transaction, in full. */
@Component({
  selector: 'app-step-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, CheckList, CodeField, ConditionFields, ExtractorForm, NumberField, RouterLink, TemplateField],
  templateUrl: './step-editor.html',
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      flex: 1;
    }
    .top {
      padding: 12px 16px;
      border-bottom: 1px solid var(--line);
      display: flex;
      gap: 8px;
      align-items: center;
      font-size: 15px;
    }
    .scroll {
      overflow: auto;
      padding: 12px 16px;
      flex: 1;
      display: grid;
      gap: 10px;
      grid-template-columns: minmax(0, 1fr);
      align-content: start;
    }
  `,
})
export class StepEditor {
  readonly #store = inject(Store);
  readonly #api = inject(Api);
  readonly script = input.required<Script>();
  readonly id = input.required<string>();
  readonly tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly #parts = this.#store.selectSignal(scriptsFeature.selectParts);
  /** The part that the chosen transaction is. */
  readonly part = computed(() => this.#parts().find((part) => part.id === this.transaction()?.part));
  /** The other scripts that have it. */
  readonly others = computed(() => (this.part()?.usedBy ?? []).filter((user) => user.id !== this.script().id));
  readonly icon = iconOf;
  readonly kinds = stepKinds;
  readonly transaction = computed(() => this.script().transactions.find((transaction) => transaction.id === this.id()) ?? null);
  readonly #step = computed(
    () =>
      this.script()
        .transactions.flatMap((transaction) => allSteps(transaction.steps))
        .find((step) => step.id === this.id()) ?? null,
  );
  readonly step = computed(() => {
    const step = this.#step();
    return step && step.kind !== 'request' ? step : null;
  });
  /** Steps before this one whose answers a loop may go through. */
  readonly actions = computed(() => actionSteps(this.script()));
  /** Code as it is typed; it is kept in the script once it was tried or left. */
  readonly source = signal('');
  readonly results = signal<readonly TriedCode[] | null>(null);
  readonly failure = signal<string | null>(null);
  readonly error = computed(() => {
    const bad = this.results()?.find((result) => result.error !== null && result.line !== null);
    return bad?.error != null && bad.line !== null ? { line: bad.line, message: bad.error } : null;
  });
  #timer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    effect(() => {
      const step = this.step();
      const source = step?.kind === 'code' ? step.source : '';
      untracked(() => {
        if (this.source() !== source) {
          this.source.set(source);
          this.results.set(null);
        }
      });
    });
  }

  /** What is wrong with the address of a line, in a sentence; null where it can be used. */
  addressProblem(origin: string): string | null {
    const right = origin.startsWith('tcp://') && addressOrigin(origin) === origin;
    return right ? null : `“${origin}” is no address for lines. Write host and port, such as tcp://127.0.0.1:9100.`;
  }
  set(step: Step): void {
    this.edit({ kind: 'set-step', step });
  }
  /** The step with some of its members changed. */
  change<S extends Step>(step: S, members: Partial<S>): void {
    this.set({ ...step, ...members });
  }
  changeLoop(step: RepeatStep, loop: Extract<Loop, { kind: 'each-match' }>, members: Partial<Extract<Loop, { kind: 'each-match' }>>): void {
    this.set({ ...step, loop: { ...loop, ...members } });
  }
  edit(edit: ScriptEdit): void {
    this.#store.dispatch(scriptsActions.edited({ edit }));
  }
  makePart(transaction: Transaction): void {
    this.#store.dispatch(scriptsActions.partWanted({ transaction: transaction.id }));
  }
  rename(transaction: Transaction, name: string): void {
    if (name.trim() !== '') this.edit({ kind: 'rename', id: transaction.id, name: name.trim() });
  }
  setPhase(transaction: Transaction, phase: string): void {
    this.edit({ kind: 'set-phase', id: transaction.id, phase: phase === 'before' || phase === 'after' ? phase : undefined });
  }
  setSpread(step: Extract<Step, { kind: 'pause' }>, kind: string): void {
    const { spread: _before, ...rest } = step;
    if (kind === 'uniform') this.set({ ...rest, spread: { kind, byMs: Math.round(step.ms / 2) } });
    else if (kind === 'log-normal') this.set({ ...rest, spread: { kind, sigma: 0.5 } });
    else this.set(rest);
  }
  setLoop(step: RepeatStep, kind: string): void {
    const { loop: _before, ...rest } = step;
    const loop: Loop | null =
      kind === 'while'
        ? { kind, condition: { left: [], is: 'filled', right: [] } }
        : kind === 'each-match'
          ? {
              kind,
              step: this.actions()[0]?.step.id ?? '',
              extractor: { kind: 'jsonpath', path: '$.items[*].id', pick: 'any' },
              variable: 'item',
            }
          : kind === 'each-row'
            ? { kind, table: this.tables()[0]?.id ?? '' }
            : null;
    this.set(loop ? { ...rest, loop, times: Math.max(step.times, 50) } : rest);
  }
  setCookie(step: Extract<Step, { kind: 'cookie' }>, action: string): void {
    if (action === 'set' || action === 'read' || action === 'delete') this.set({ ...step, action });
  }
  /** Keeps what was typed once typing rests, so that undo takes back words and not letters. */
  typed(step: CodeStep, source: string): void {
    this.source.set(source);
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => {
      if (this.step()?.id === step.id && source !== step.source) this.set({ ...step, source });
    }, 800);
  }
  tryCode(step: CodeStep): void {
    const before = this.#recordedBefore();
    this.failure.set(null);
    this.#api.tryCode(this.script().id, { source: this.source(), timeMs: step.timeMs, memoryMb: step.memoryMb, after: before }).subscribe({
      next: (results) => {
        this.results.set(results);
      },
      error: (error: unknown) => {
        this.failure.set(problemOf(error));
      },
    });
  }
  entries(record: Record<string, string | null>): string[] {
    return Object.entries(record).map(([name, value]) => `${name} = ${value ?? 'taken away'}`);
  }
  #recordedBefore(): string | null {
    let before: string | null = null;
    for (const step of this.script().transactions.flatMap((transaction) => allSteps(transaction.steps))) {
      if (step.id === this.id()) return before;
      if (isRecorded(step)) before = step.id;
    }
    return before;
  }
}
