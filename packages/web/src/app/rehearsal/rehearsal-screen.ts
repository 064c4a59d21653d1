import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, resource, signal } from '@angular/core';
import { DomSanitizer, type SafeResourceUrl } from '@angular/platform-browser';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import {
  actionKindOf,
  actionSteps,
  answerBody,
  answerOf,
  isRecorded,
  resultOf,
  resultWords,
  type BodyRef,
  type CapturedStep,
  type Exchange,
  type Rehearsal,
  type RehearsalCommand,
  type RehearsalNote,
} from '@sturdy/core';
import { firstValueFrom } from 'rxjs';
import { dataActions } from '../state/data.actions';
import { dataFeature } from '../state/data.feature';
import { EnvironmentDialogs } from '../environment/environment-dialogs';
import { ProductionSign } from '../environment/production-sign';
import { Api } from '../shared/api';
import { figure, moment } from '../shared/format';
import { SecretMask } from '../shared/secret-mask';
import { VerdictShape } from '../shared/verdict-shape';
import { BodyView } from '../takes/body-view';
import { takesFeature } from '../state/takes.feature';
import { loadScriptOf } from '../state/script-of-address';
import { scriptsActions } from '../state/scripts.actions';
import { projectFeature } from '../state/project.feature';
import { scriptsFeature } from '../state/scripts.feature';
import { LineView } from './line-view';
import { ProofNote } from './proof-note';
import { DifferenceView } from './difference-view';
import { RehearsalStarter } from './rehearsal-starter';
import type { RehearsalKind } from './rehearse-dialog';
import { WhyNot } from '../shared/why-not';

/** Recorded beside replayed: verdicts of all steps, the first divergence with its action, the chosen step; and what steers it. */
@Component({
  selector: 'app-rehearsal-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ProductionSign, WhyNot, RouterLink, LineView, ProofNote, VerdictShape, BodyView, DifferenceView],
  templateUrl: './rehearsal-screen.html',
  styleUrl: './rehearsal-screen.scss',
})
export class RehearsalScreen {
  readonly #store = inject(Store);
  readonly #api = inject(Api);
  readonly #starter = inject(RehearsalStarter);
  readonly #environments = inject(EnvironmentDialogs);
  readonly #sanitizer = inject(DomSanitizer);
  readonly id = input.required<string>();
  readonly script = this.#store.selectSignal(scriptsFeature.selectCurrent);
  readonly rehearsals = this.#store.selectSignal(scriptsFeature.selectRehearsals);
  readonly busy = this.#store.selectSignal(scriptsFeature.selectBusy);
  readonly steerable = this.#store.selectSignal(scriptsFeature.selectSteerable);
  readonly played = this.#store.selectSignal(scriptsFeature.selectPlayed);
  readonly mended = this.#store.selectSignal(scriptsFeature.selectMended);
  readonly #exchanges = this.#store.selectSignal(takesFeature.selectExchanges);
  readonly #tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly chosen = signal<string | null>(null);
  readonly besideId = signal('take');
  readonly chosenEnvironment = this.#store.selectSignal(projectFeature.selectEnvironment);
  readonly rehearsal = computed(() => this.rehearsals().find((rehearsal) => rehearsal.id === this.chosen()) ?? this.rehearsals()[0]);
  /** Values that deserve a look. */
  readonly doubtful = this.#store.selectSignal(scriptsFeature.selectDoubtful);
  readonly waitingAt = computed(() => this.rehearsals()[0]?.waitingAt);
  /** True where a new rehearsal can be started. */
  readonly free = computed(() => this.busy() === null && this.waitingAt() === undefined);
  readonly others = computed(() => this.rehearsals().filter((rehearsal) => rehearsal.id !== this.rehearsal()?.id));
  readonly besideRehearsal = computed(() => this.others().find((rehearsal) => rehearsal.id === this.besideId()));
  readonly besideName = computed(() => {
    const rehearsal = this.besideRehearsal();
    return rehearsal ? `Rehearsal ${rehearsal.number}` : 'The take';
  });
  /** The chosen step: at first the one where the rehearsal left the take, or the last one that was sent. */
  readonly step = linkedSignal<string | null>(() => {
    const now = this.rehearsal();
    const sent = now?.steps.findLast((step) => step.captured !== null)?.step;
    return now?.waitingAt === undefined ? (now?.divergence?.step ?? now?.steps[0]?.step ?? null) : (sent ?? now.waitingAt);
  });
  readonly selected = this.step.asReadonly();
  /** What steps that send nothing said or how they failed, by the request before them. */
  readonly #notes = computed(() => {
    const all = new Map<string | null, RehearsalNote[]>();
    for (const note of this.rehearsal()?.notes ?? []) all.set(note.afterStep, [...(all.get(note.afterStep) ?? []), note]);
    return all;
  });
  readonly current = computed(() => this.rehearsal()?.steps.find((step) => step.step === this.selected()));
  /** What the chosen step sent and got, where it can be laid beside the take. */
  readonly compared = computed(() => {
    const captured = this.current()?.captured;
    return captured && captured.kind !== 'line' ? captured : undefined;
  });
  readonly line = computed(() => {
    const captured = this.current()?.captured;
    return captured?.kind === 'line' ? captured : undefined;
  });
  readonly tabs = computed(() =>
    // A message has no headers, and is no page.
    this.compared()?.kind === 'message'
      ? (['Answer', 'Sent', 'As it came'] as const)
      : (['Answer', 'Sent', 'Headers', 'Pages', 'As it came'] as const),
  );
  readonly chosenTab = signal<'Answer' | 'Sent' | 'Headers' | 'Pages' | 'As it came'>('Answer');
  readonly tabNow = computed(() => this.tabs().find((tab) => tab === this.chosenTab()) ?? 'Answer');
  readonly difference = resource({
    params: () => {
      const [rehearsal, step] = [this.rehearsal(), this.current()];
      return rehearsal && step && this.compared()
        ? { script: this.id(), rehearsal: rehearsal.id, step: step.step, beside: this.besideRehearsal()?.id ?? 'take' }
        : undefined;
    },
    loader: ({ params }) => firstValueFrom(this.#api.stepDifference(params.script, params.rehearsal, params.step, params.beside)),
  });
  readonly #actions = computed(() => {
    const script = this.script();
    return new Map(script ? actionSteps(script).map((step) => [step.step.id, step]) : []);
  });
  readonly stepCount = computed(() => this.#actions().size);
  readonly exchange = computed(() => {
    const step = this.#actions().get(this.selected() ?? '')?.step;
    const n = step && answerOf(step);
    return n == null ? undefined : this.#exchanges().find((exchange) => exchange.n === n);
  });
  readonly accepted = computed(() => {
    const [accept, step] = [this.current()?.accept, this.#actions().get(this.selected() ?? '')?.step];
    return step !== undefined && isRecorded(step) && JSON.stringify(accept?.expect) === JSON.stringify(step.expect);
  });
  readonly rightPage = computed(() => this.#pageOf(this.rehearsal()));
  readonly leftPage = computed(() => {
    const rehearsal = this.besideRehearsal();
    return rehearsal
      ? this.#pageOf(rehearsal)
      : this.#safe(`/api/takes/${this.script()?.takeId ?? ''}/exchanges/${this.exchange()?.n ?? 0}/page`);
  });
  readonly figure = figure;

  constructor() {
    loadScriptOf(this.id);
    this.#store.dispatch(dataActions.listAsked());
    const mask = inject(SecretMask);
    effect(() => {
      const captured = this.current()?.captured;
      const bodies = captured ? actionKindOf(captured).bodies(captured) : [];
      const exchange = this.exchange();
      const takeId = this.script()?.takeId;
      if (takeId) void mask.look(takeId, exchange ? [exchange.n] : [], bodies);
    });
  }

  /** What a step got in the take, in a few words. */
  answered(exchange: Exchange | undefined): string {
    if (exchange?.kind === 'request') return String(exchange.response?.status ?? 'no answer');
    return exchange?.answer ? `a message of ${exchange.answer.size} bytes` : 'no answer';
  }
  /** What it got now, in a few words. */
  words(captured: CapturedStep | undefined): string {
    return (captured && actionKindOf(captured).answerWords(captured)) ?? 'no answer';
  }
  recordedBody(exchange: Exchange): BodyRef | null {
    return answerBody(exchange);
  }
  playedBody(captured: CapturedStep): BodyRef | null {
    if (captured.kind === 'message') return captured.answer;
    return captured.kind === 'request' ? (captured.response?.body ?? null) : null;
  }
  notesAfter(step: string | null): RehearsalNote[] {
    return this.#notes().get(step) ?? [];
  }
  nameOf(step: string): string {
    return this.#actions().get(step)?.step.name ?? step;
  }
  numberOf(step: string): number {
    return this.#actions().get(step)?.number ?? 0;
  }
  nameOfRehearsal(rehearsal: Rehearsal): string {
    const how = rehearsal.waitingAt
      ? 'waiting'
      : rehearsal.endedBefore
        ? `${rehearsal.verdict}, ended before step ${this.numberOf(rehearsal.endedBefore)}`
        : resultWords[resultOf(rehearsal)];
    const where = rehearsal.environment ? `, in ${rehearsal.environment.name}` : '';
    return `${rehearsal.number}: ${how}, ${moment(rehearsal.startedAt)}${where}`;
  }
  verdictIn(rehearsal: Rehearsal, step: string): string {
    return rehearsal.steps.find((rehearsedStep) => rehearsedStep.step === step)?.verdict ?? 'none';
  }
  tableName(id: string): string {
    return this.#tables().find((table) => table.id === id)?.name ?? 'the data';
  }
  choose(id: string): void {
    this.chosen.set(id);
    if (this.besideId() === id) this.besideId.set('take');
  }
  start(kind: RehearsalKind, choose = false): void {
    const script = this.script();
    if (!script) return;
    this.chosen.set(null);
    this.#starter.start(script, kind, { choose, until: this.selected() });
  }
  command(command: RehearsalCommand): void {
    this.chosen.set(null);
    this.#store.dispatch(scriptsActions.commandGiven({ command }));
  }
  mend(): void {
    const rehearsal = this.rehearsal();
    if (rehearsal) this.#store.dispatch(scriptsActions.mendWanted({ rehearsal: rehearsal.id }));
  }
  environment(): void {
    this.#environments.open();
  }
  acceptAnswer(): void {
    const [accept, id] = [this.current()?.accept, this.selected()];
    if (accept && id !== null) this.#store.dispatch(scriptsActions.edited({ edit: { kind: 'set-expect', id, expect: accept.expect } }));
  }

  #pageOf(rehearsal: Rehearsal | undefined): SafeResourceUrl {
    return this.#safe(`/api/scripts/${this.id()}/rehearsals/${rehearsal?.id ?? ''}/steps/${this.selected() ?? ''}/page`);
  }
  #safe(address: string): SafeResourceUrl {
    return this.#sanitizer.bypassSecurityTrustResourceUrl(address);
  }
}
