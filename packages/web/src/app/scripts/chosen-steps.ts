import { computed, inject, Injectable, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { allSteps, freshId, idsOf, outermost, type Container, type ScriptEdit, type Step } from '@sturdy/core';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { StepClipboard } from './steps/step-clipboard';
import { newStep, type newSteps } from './steps/step-kinds';
import { layRows } from './string-layout';

/** The steps of the open script that are chosen, and what is done with them: put in, wrapped, copied, moved, deleted. */
@Injectable()
export class ChosenSteps {
  readonly #store = inject(Store);
  readonly clipboard = inject(StepClipboard);
  readonly script = this.#store.selectSignal(scriptsFeature.selectCurrent);
  /** The step or transaction that is shown beside the outline. */
  readonly selected = this.#store.selectSignal(scriptsFeature.selectStep);
  /** The rows of the outline, in their order. */
  readonly rows = computed(() => {
    const script = this.script();
    return script ? layRows(script) : [];
  });
  /** Steps that were chosen together. */
  readonly picked = signal<ReadonlySet<string>>(new Set());

  clear(): void {
    this.picked.set(new Set());
  }
  edit(edit: ScriptEdit): void {
    this.#store.dispatch(scriptsActions.edited({ edit }));
  }
  select(step: string): void {
    this.#store.dispatch(scriptsActions.stepSelected({ step }));
  }
  /** Chooses a row; with Ctrl several, with Shift all between. */
  pick(id: string, event: MouseEvent): void {
    const rows = this.rows().filter((row) => row.kind !== 'transaction');
    const next = new Set(this.picked());
    if (event.shiftKey && this.selected() !== null) {
      const [from, to] = [rows.findIndex((row) => row.id === this.selected()), rows.findIndex((row) => row.id === id)];
      if (from >= 0 && to >= 0) for (const row of rows.slice(Math.min(from, to), Math.max(from, to) + 1)) next.add(row.id);
    } else if (event.ctrlKey || event.metaKey) {
      const selected = this.selected();
      if (next.size === 0 && selected !== null && rows.some((row) => row.id === selected)) next.add(selected);
      if (!next.delete(id) && rows.some((row) => row.id === id)) next.add(id);
    } else next.clear();
    this.picked.set(next);
    this.select(id);
  }
  /** Moves a row, and all that are chosen with it, behind another one. */
  moveBehind(id: string, after: string): void {
    const ids = this.picked().has(id) ? [...this.picked()] : [id];
    if (!ids.includes(after)) this.edit({ kind: 'move-to', ids, after });
  }
  /** Moves what is chosen up or down by one step. */
  moveBy(by: -1 | 1): void {
    const ids = this.all();
    for (const id of by === -1 ? ids : ids.reverse()) this.edit({ kind: 'move', id, by });
  }
  /** The step or transaction behind which new steps go. */
  anchor(): string | null {
    return this.selected() ?? this.rows().at(-1)?.id ?? null;
  }
  insert(kind: (typeof newSteps)[number]['kind']): void {
    const script = this.script();
    const after = this.anchor();
    if (script && after !== null) this.#put(after, [newStep(kind, script)]);
  }
  #put(after: string, steps: readonly Step[]): void {
    const before = new Set(this.rows().map((row) => row.id));
    this.edit({ kind: 'insert', after, steps });
    const made = this.rows().find((row) => !before.has(row.id));
    if (made) this.select(made.id);
  }
  insertTransaction(): void {
    this.edit({ kind: 'insert-transaction', after: this.transactionAt(), name: 'New transaction' });
  }
  /** What is chosen: several steps, or the one. */
  all(): string[] {
    const picked = [...this.picked()];
    const selected = this.selected();
    return picked.length > 0 ? picked : selected !== null && !this.#isTransaction(selected) ? [selected] : [];
  }
  #isTransaction(id: string): boolean {
    return this.script()?.transactions.some((transaction) => transaction.id === id) ?? false;
  }
  wrap(kind: Container['kind']): void {
    const condition = { left: [], is: 'filled' as const, right: [] };
    const container: Container =
      kind === 'repeat'
        ? { kind, id: 'repeat', name: 'Repeat', times: 2, pauseMs: 0 }
        : kind === 'when'
          ? { kind, id: 'when', name: 'When', condition }
          : { kind, id: 'beside' };
    const script = this.script();
    if (!script) return;
    const id = freshId(idsOf(script), container.id, container.id);
    this.edit({ kind: 'wrap', ids: this.all(), container: { ...container, id } });
    this.clear();
    this.select(id);
  }
  copy(cut: boolean): void {
    const script = this.script();
    const ids = new Set(this.all());
    if (!script || ids.size === 0) return;
    this.clipboard.keep(outermost(script, ids));
    if (cut) this.deletePicked();
  }
  paste(): void {
    const after = this.anchor();
    if (after !== null && this.clipboard.steps().length > 0) this.#put(after, this.clipboard.steps());
  }
  deletePicked(): void {
    this.edit({ kind: 'delete-all', ids: this.all() });
    this.clear();
  }
  /** The transaction that is chosen, or in which the chosen step stands; the last one where nothing is. */
  transactionAt(): string | null {
    const chosen = this.selected();
    const transactions = this.script()?.transactions ?? [];
    return (
      transactions.find((transaction) => transaction.id === chosen || allSteps(transaction.steps).some((step) => step.id === chosen))?.id ??
      transactions.at(-1)?.id ??
      null
    );
  }
}
