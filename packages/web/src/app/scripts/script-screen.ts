import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { RouterLink } from '@angular/router';
import { CdkDrag } from '@angular/cdk/drag-drop';
import { NgbDropdownModule } from '@ng-bootstrap/ng-bootstrap/dropdown';
import { Store } from '@ngrx/store';
import {
  answeredAtMs,
  answerOf,
  exchangesOf,
  actionCountWords,
  actionKindOf,
  isRecorded,
  recordedSteps,
  type ActionStep,
  resultOf,
  resultWords,
  type ClassifiedValue,
  type ScriptEdit,
  type Step,
} from '@sturdy/core';
import { figure, hue } from '../shared/format';
import { dataActions } from '../state/data.actions';
import { ProductionSign } from '../environment/production-sign';
import { projectFeature } from '../state/project.feature';
import { dataFeature } from '../state/data.feature';
import { ProofNote } from '../rehearsal/proof-note';
import { RehearsalStarter } from '../rehearsal/rehearsal-starter';
import type { RehearsalKind } from '../rehearsal/rehearse-dialog';
import { VerdictShape } from '../shared/verdict-shape';
import { takesActions } from '../state/takes.actions';
import { takesFeature } from '../state/takes.feature';
import { ChosenSteps } from './chosen-steps';
import { ScriptDialogs } from './script-dialogs';
import { loadScriptOf } from '../state/script-of-address';
import { ScriptTextView } from './script-text';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { StepEditor } from './steps/step-editor';
import { iconOf, newSteps, sayStep } from './steps/step-kinds';
import { namesFor } from './steps/template-names';
import { endOf, layStrings, type Sight, type SpineRow } from './string-layout';
import { StepDrawer } from './step-drawer';
import { Strings } from './strings';
import { WhyNot } from '../shared/why-not';

const classes: { id: ClassifiedValue['class']; name: string; colour: string }[] = [
  { id: 'handed-off', name: 'handed off', colour: 'var(--s0)' },
  { id: 'data', name: 'data', colour: 'var(--s4)' },
  { id: 'client-made', name: 'client-made', colour: 'var(--line-strong)' },
  { id: 'fixed', name: 'as recorded', colour: 'var(--sunk)' },
  { id: 'unsure', name: 'unsure', colour: '#d7a62a' },
];

/** The script: transactions and steps on a time spine, strings in the gutter, coverage on top, one step at the right. */
@Component({
  selector: 'app-script-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    ProductionSign,
    WhyNot,
    CdkDrag,
    RouterLink,
    NgbDropdownModule,
    ProofNote,
    VerdictShape,
    ScriptTextView,
    Strings,
    StepDrawer,
    StepEditor,
  ],
  host: { '(document:keydown)': 'key($event)' },
  providers: [ChosenSteps],
  templateUrl: './script-screen.html',
  styleUrl: './script-screen.scss',
})
export class ScriptScreen {
  readonly #store = inject(Store);
  readonly #starter = inject(RehearsalStarter);
  readonly #dialogs = inject(ScriptDialogs);
  readonly chosen = inject(ChosenSteps);
  readonly #parts = this.#store.selectSignal(scriptsFeature.selectParts);
  readonly #tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly id = input.required<string>();
  /** Id of the step that the address names, so that a link leads to it. */
  readonly at = input<string>();
  readonly script = this.chosen.script;
  readonly selected = this.chosen.selected;
  readonly rows = this.chosen.rows;
  readonly handoff = this.#store.selectSignal(scriptsFeature.selectHandoff);
  readonly rehearsals = this.#store.selectSignal(scriptsFeature.selectRehearsals);
  readonly busy = this.#store.selectSignal(scriptsFeature.selectBusy);
  readonly played = this.#store.selectSignal(scriptsFeature.selectPlayed);
  readonly done = this.#store.selectSignal(scriptsFeature.selectDone);
  readonly report = this.#store.selectSignal(scriptsFeature.selectReport);
  readonly rounds = this.#store.selectSignal(scriptsFeature.selectRounds);
  readonly resultOf = resultOf;
  readonly resultWords = resultWords;
  readonly outcomes = { helped: 'It helped.', kept: 'It is right, but was not all.', 'taken back': 'It did not help and was taken back.' };
  readonly past = this.#store.selectSignal(scriptsFeature.selectPast);
  readonly future = this.#store.selectSignal(scriptsFeature.selectFuture);
  readonly coverage = this.#store.selectSignal(scriptsFeature.selectCoverage);
  readonly takes = this.#store.selectSignal(takesFeature.selectAll);
  readonly #exchanges = this.#store.selectSignal(takesFeature.selectExchanges);
  readonly hovered = signal<string | null>(null);
  readonly filter = signal<ClassifiedValue['class'] | null>(null);
  readonly renaming = signal<string | null>(null);
  readonly isolated = computed(() => this.hovered() ?? this.handoff());
  readonly height = computed(() => (this.rows().at(-1)?.top ?? 0) + (this.rows().at(-1)?.height ?? 0) + 20);
  readonly strings = computed(() => {
    const script = this.script();
    return script ? layStrings(script, this.rows()) : [];
  });
  readonly rehearsal = computed(() => this.rehearsals()[0]);
  /** Values that deserve a look. */
  readonly doubtful = this.#store.selectSignal(scriptsFeature.selectDoubtful);
  readonly verdicts = computed(() => new Map(this.rehearsal()?.steps.map((step) => [step.step, step])));
  readonly counts = computed(() => {
    const all = this.coverage();
    return classes
      .map((kind) => ({ ...kind, count: all.filter((value) => value.class === kind.id).length, percent: 0 }))
      .map((kind) => ({ ...kind, percent: all.length === 0 ? 0 : (100 * kind.count) / all.length }));
  });
  readonly filtered = computed(() => {
    const wanted = this.filter();
    return wanted === null
      ? null
      : new Set(
          this.coverage()
            .filter((value) => value.class === wanted)
            .map((value) => value.step),
        );
  });
  readonly exchange = computed(() => {
    const step = this.step();
    const n = step && answerOf(step);
    return n == null ? undefined : this.#exchanges().find((exchange) => exchange.n === n);
  });
  readonly durations = computed(
    () => new Map(this.#exchanges().map((exchange) => [exchange.n, answeredAtMs(exchange) - exchange.startedAtMs])),
  );
  readonly step = computed(() => {
    const script = this.script();
    return script ? recordedSteps(script).find(({ step }) => step.id === this.selected())?.step : undefined;
  });
  /** The transaction or step that is chosen, where it was not recorded. */
  readonly other = computed(() => {
    const id = this.selected();
    return this.rows().some((row) => row.id === id && (row.kind !== 'action' || !isRecorded(row.step))) ? id : null;
  });
  /** The row behind which what is dragged would go. */
  readonly dropAt = signal<string | null>(null);
  /** Parts of the project that this script does not have yet. */
  readonly parts = computed(() => {
    const partsHere = new Set(this.script()?.transactions.map((transaction) => transaction.part));
    return this.#parts().filter((part) => !partsHere.has(part.id));
  });
  readonly newSteps = newSteps;
  readonly icon = iconOf;
  readonly #names = computed(() => {
    const script = this.script();
    return script && namesFor(script, this.#tables());
  });
  readonly counted = actionCountWords;
  readonly takeName = computed(() => this.takes().find((take) => take.id === this.script()?.takeId)?.name ?? 'a take');
  readonly secondName = computed(() => this.takes().find((take) => take.id === this.script()?.secondTakeId)?.name);
  readonly environment = this.#store.selectSignal(projectFeature.selectEnvironment);
  readonly otherTakes = computed(() => this.takes().filter((take) => take.id !== this.script()?.takeId && take.state === 'done'));
  /** What is shown in the middle: rows with strings, or the text of the same script. */
  readonly view = signal<'outline' | 'text'>('outline');
  protected readonly stage = viewChild<ElementRef<HTMLElement>>('stage');
  /** The part of the list that is in sight, in px from its top; rows outside of it are not drawn. */
  readonly sight = signal<Sight>({ top: 0, bottom: 1600 });
  readonly drawnRows = computed(() => {
    const { top, bottom } = this.sight();
    return this.rows().filter((row) => row.top + row.height >= top && row.top <= bottom);
  });
  readonly drawnStrings = computed(() => {
    const { top, bottom } = this.sight();
    const isolated = this.isolated();
    return this.strings().filter(
      (drawnString) => drawnString.handoff.id === isolated || (endOf(drawnString) >= top && drawnString.originY <= bottom),
    );
  });
  readonly figure = figure;
  readonly hue = hue;

  /** Called as the list is scrolled: draws what comes into sight, with a margin so that nothing flashes. */
  readonly #scrolled = (): void => {
    const stage = this.stage()?.nativeElement;
    const list = stage?.querySelector<HTMLElement>('.list');
    if (!stage || !list) return;
    const top = stage.scrollTop - list.offsetTop;
    const margin = 800;
    // Small movements stay within the margin and draw nothing anew.
    const drawn = this.sight();
    if (top - margin / 2 >= drawn.top && top + stage.clientHeight + margin / 2 <= drawn.bottom) return;
    this.sight.set({ top: top - margin, bottom: top + stage.clientHeight + margin });
  };

  constructor() {
    loadScriptOf(this.id);
    // Listened to by hand: a listener of the template would check the whole screen at each frame of scrolling.
    effect((whenGone) => {
      const stage = this.stage()?.nativeElement;
      stage?.addEventListener('scroll', this.#scrolled, { passive: true });
      whenGone(() => {
        stage?.removeEventListener('scroll', this.#scrolled);
      });
    });
    effect(() => {
      const step = this.at();
      if (step !== undefined && this.script()?.id === this.id()) untracked(() => this.select(step));
    });
    this.#store.dispatch(takesActions.listAsked());
    this.#store.dispatch(dataActions.listAsked());
    this.#store.dispatch(scriptsActions.partsAsked());
    effect(() => {
      const chosen = this.selected();
      const row = untracked(() => this.rows().find((spineRow) => spineRow.id === chosen));
      if (row) this.#bringIntoSight(row);
    });
  }

  #bringIntoSight(row: SpineRow): void {
    const stage = this.stage()?.nativeElement;
    const list = stage?.querySelector<HTMLElement>('.list');
    if (!stage || !list) return;
    const top = list.offsetTop + row.top;
    if (top < stage.scrollTop) stage.scrollTop = top - 40;
    else if (top + row.height > stage.scrollTop + stage.clientHeight) stage.scrollTop = top + row.height - stage.clientHeight + 40;
  }

  hueOf(handoff: string | null): string {
    return hue(Math.max(0, this.script()?.handoffs.findIndex((candidate) => candidate.id === handoff) ?? 0));
  }
  durationOf(row: SpineRow): string {
    const chain = row.kind === 'action' ? exchangesOf(row.step) : [];
    const ms = chain.reduce((sum, n) => sum + (this.durations().get(n) ?? 0), 0);
    return chain.length === 0 ? '' : `${figure(ms)} ms`;
  }
  verb(step: ActionStep): string {
    return actionKindOf(step).verb(step);
  }
  shortName(step: ActionStep): string {
    return actionKindOf(step).shortName(step);
  }
  redirects(step: ActionStep): number {
    return step.kind === 'request' ? (step.hops?.length ?? 0) : 0;
  }
  select(step: string): void {
    this.chosen.select(step);
  }
  say(step: Exclude<Step, ActionStep>): string {
    const names = this.#names();
    return names ? sayStep(step, names, this.#tables()) : '';
  }
  suggestChecks(): void {
    const script = this.script();
    if (script) this.#dialogs.suggestChecks(script, this.#tables());
  }
  find(): void {
    const script = this.script();
    if (script) this.#dialogs.findAndReplace(script);
  }
  insertFromTake(): void {
    const after = this.chosen.anchor();
    const picked = this.chosen.picked().size > 0 ? this.chosen.all() : [];
    if (after === null) return;
    this.#dialogs.insertFromTake(
      this.otherTakes().filter((take) => take.madeFor === undefined),
      picked.at(-1) ?? after,
      picked,
    );
    this.chosen.clear();
  }
  usePart(part: string): void {
    this.#store.dispatch(scriptsActions.partUseWanted({ part, after: this.chosen.transactionAt() }));
  }
  dragged(y: number): void {
    const list = this.stage()?.nativeElement.querySelector('.list');
    if (!list) return;
    const at = y - list.getBoundingClientRect().top;
    this.dropAt.set(this.rows().findLast((row) => row.top + row.height / 2 <= at)?.id ?? this.rows()[0]?.id ?? null);
  }
  dropped(id: string, source: CdkDrag): void {
    source.reset();
    const after = this.dropAt();
    this.dropAt.set(null);
    if (after !== null) this.chosen.moveBehind(id, after);
  }

  isolate(handoff: string): void {
    this.#store.dispatch(scriptsActions.handoffSelected({ handoff: this.handoff() === handoff ? null : handoff }));
  }
  toggleFilter(id: ClassifiedValue['class']): void {
    this.filter.set(this.filter() === id ? null : id);
  }
  correlate(secondTakeId: string | null): void {
    this.#store.dispatch(scriptsActions.correlateWanted({ secondTakeId }));
  }
  /** `choose` asks how it is to be played, whatever the tester knows already. */
  rehearse(kind: RehearsalKind, choose = false): void {
    const script = this.script();
    if (script) this.#starter.start(script, kind, { choose, until: this.selected() });
  }
  cancelCorrelation(): void {
    this.#store.dispatch(scriptsActions.correlationCancelled());
  }
  edit(edit: ScriptEdit): void {
    this.chosen.edit(edit);
  }
  rename(id: string, name: string): void {
    // Taking the field away blurs it, which would rename a second time.
    if (this.renaming() !== id) return;
    this.renaming.set(null);
    if (name.trim() !== '') this.edit({ kind: 'rename', id, name: name.trim() });
  }
  undo(): void {
    this.#store.dispatch(scriptsActions.undone());
  }
  redo(): void {
    this.#store.dispatch(scriptsActions.redone());
  }

  /** Along the strings and the steps by keyboard: [ to the origin, ] to the next use, J and K along the steps. */
  key(event: KeyboardEvent): void {
    const target = event.target as HTMLElement;
    if (/^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) || target.isContentEditable) return;
    const ctrl = event.ctrlKey || event.metaKey;
    if (ctrl && event.key.toLowerCase() === 'z') {
      event.preventDefault();
      if (event.shiftKey) this.redo();
      else this.undo();
      return;
    }
    if (ctrl && event.key.toLowerCase() === 'f' && this.view() === 'outline') {
      event.preventDefault();
      this.find();
      return;
    }
    if (ctrl && /^[cxv]$/i.test(event.key) && (document.getSelection()?.toString() ?? '') === '') {
      const key = event.key.toLowerCase();
      if (key === 'v') this.chosen.paste();
      else this.chosen.copy(key === 'x');
      return;
    }
    if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) {
      event.preventDefault();
      this.chosen.moveBy(event.key === 'ArrowUp' ? -1 : 1);
      return;
    }
    if (event.key === 'Delete' && this.chosen.all().length > 0) {
      this.chosen.deletePicked();
      return;
    }
    if (ctrl || event.altKey) return;
    const string = this.strings().find((drawnString) => drawnString.handoff.id === this.handoff());
    const ids = this.rows()
      .filter((row) => row.kind !== 'transaction')
      .map((row) => row.id);
    const at = ids.indexOf(this.selected() ?? '');
    if (event.key === 'j') this.select(ids[Math.min(ids.length - 1, at + 1)] ?? '');
    else if (event.key === 'k') this.select(ids[Math.max(0, at - 1)] ?? '');
    else if (event.key === '[' && string) this.select(string.handoff.origin);
    else if (event.key === ']' && string) {
      const uses = string.uses.map((use) => use.step);
      this.select(uses[(uses.indexOf(this.selected() ?? '') + 1) % uses.length] ?? '');
    } else if (event.key === 'Escape') this.#store.dispatch(scriptsActions.handoffSelected({ handoff: null }));
  }
}
