import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  linkedSignal,
  resource,
  signal,
  untracked,
} from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { answerOf, recordedSteps, type Rehearsal, type SentAndGot, type SourceCandidate, type StepDifference } from '@sturdy/core';
import { firstValueFrom, type Observable } from 'rxjs';
import { DifferenceView } from '../rehearsal/difference-view';
import { Api, problemOf } from '../shared/api';
import type { FoundSources } from '@sturdy/core';
import { SecretMask } from '../shared/secret-mask';
import { VerdictShape } from '../shared/verdict-shape';
import { onceSaved } from '../state/once-saved';
import { loadScriptOf } from '../state/script-of-address';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { WhyNot } from '../shared/why-not';

/** Values in doubt, one after the other: what each could be, tried in a rehearsal up to its step, then chosen. */
@Component({
  selector: 'app-source-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, DifferenceView, RouterLink, VerdictShape],
  templateUrl: './source-screen.html',
  styleUrl: './source-screen.scss',
})
export class SourceScreen {
  readonly #store = inject(Store);
  readonly #api = inject(Api);
  readonly #router = inject(Router);
  /** Id of the script, from the address. */
  readonly id = input.required<string>();
  /** The step and the place whose value is looked into, from the address; the first in doubt where they are missing. */
  readonly step = input<string>();
  readonly place = input<string>();
  readonly script = this.#store.selectSignal(scriptsFeature.selectCurrent);
  readonly doubtful = this.#store.selectSignal(scriptsFeature.selectDoubtful);
  readonly at = computed(() => {
    const [step, place] = [this.step(), this.place()];
    const first = this.doubtful()[0];
    return step !== undefined && place !== undefined ? { step, place } : first && { step: first.step, place: first.place };
  });
  readonly #steps = computed(() => {
    const script = this.script();
    return new Map(script ? recordedSteps(script).map((step) => [step.step.id, step]) : []);
  });
  readonly sources = resource({
    params: () => {
      const [at, script] = [this.at(), this.script()];
      return at && script?.id === this.id() ? { at, script } : undefined;
    },
    loader: ({ params }): Promise<FoundSources> => firstValueFrom(this.#api.sources(params.script.id, params.at)),
  });
  readonly problem = computed(() => {
    const error = this.sources.error();
    return error ? problemOf(error.cause ?? error) : null;
  });
  /** Id of the candidate that is being tried. */
  readonly trying = signal<string | null>(null);
  readonly said = linkedSignal<unknown, { tone: 'good' | 'bad'; text: string } | null>({ source: this.at, computation: () => null });
  /** The rehearsal whose answer is laid beside that of the take. */
  readonly opened = linkedSignal<unknown, string | null>({ source: this.at, computation: () => null });
  readonly difference = resource({
    params: () => {
      const [rehearsal, at] = [this.opened(), this.at()];
      return rehearsal !== null && at ? { rehearsal, step: at.step } : undefined;
    },
    loader: ({ params }): Promise<StepDifference> =>
      firstValueFrom(this.#api.stepDifference(this.id(), params.rehearsal, params.step, 'take')),
  });
  /** The next value in doubt behind this one; undefined where it is the last. */
  readonly next = computed(() => {
    const at = this.at();
    const all = this.doubtful();
    const here = all.findIndex((place) => place.step === at?.step && place.place === at.place);
    return all[here + 1] ?? all.find((place) => place.step !== at?.step || place.place !== at.place);
  });

  constructor() {
    loadScriptOf(this.id);
    const mask = inject(SecretMask);
    effect(() => {
      const step = this.#steps().get(this.at()?.step ?? '')?.step;
      const n = step && answerOf(step);
      const takeId = this.script()?.takeId;
      if (takeId) void mask.look(takeId, n == null ? [] : [n], []);
    });
    effect(() => {
      const at = this.at();
      // What is looked into stands in the address, so it can be reloaded and sent to a colleague.
      if (at && this.step() === undefined) untracked(() => void this.#open(at, true));
    });
  }

  #onceSaved<T>(ask: () => Observable<T>): Promise<T> {
    return firstValueFrom(onceSaved(this.#store.select(scriptsFeature.selectUnsaved), ask));
  }

  #open(at: { step: string; place: string }, replaceUrl = false): Promise<boolean> {
    return this.#router.navigate(['/scripts', this.id(), 'sources'], { queryParams: { step: at.step, place: at.place }, replaceUrl });
  }

  numberOf(step: string): number {
    return this.#steps().get(step)?.number ?? 0;
  }
  nameOf(step: string): string {
    return this.#steps().get(step)?.step.name ?? step;
  }
  isAt(place: { step: string; place: string }): boolean {
    return place.step === this.at()?.step && place.place === this.at()?.place;
  }
  /** What rehearsals sent and got with a candidate: the last one where it is in use, and all in which it was tried. */
  triedWith(candidate: SourceCandidate): SentAndGot[] {
    const found = this.sources.value();
    if (!found) return [];
    return [...found.trials.filter((trial) => trial.candidate === candidate.id), ...(candidate.inUse && found.last ? [found.last] : [])];
  }
  /** True once a rehearsal has passed the step with a candidate. */
  hasPassed(candidate: SourceCandidate): boolean {
    return this.triedWith(candidate).some((got) => got.verdict === 'passed');
  }
  morePlaces(count: number): string {
    return count > 2 ? `, and ${count - 1} more places send it too` : count === 2 ? ', and one more place sends it too' : '';
  }
  got(sentAndGot: SentAndGot): string {
    if (sentAndGot.answer === null) return sentAndGot.verdict === 'not-sent' ? 'was not reached' : 'got no answer';
    return `got ${sentAndGot.answer}, ${sentAndGot.verdict}`;
  }
  show(rehearsal: string): void {
    this.opened.set(this.opened() === rehearsal ? null : rehearsal);
  }

  async try(candidate: SourceCandidate): Promise<void> {
    const at = this.at();
    if (!at || this.trying() !== null) return;
    this.trying.set(candidate.id);
    this.said.set(null);
    try {
      const rehearsal = await this.#onceSaved(() => this.#api.trySource(this.id(), at, candidate.id));
      this.said.set(this.#outcome(rehearsal, at.step, candidate));
      this.sources.reload();
    } catch (error) {
      this.said.set({ tone: 'bad', text: problemOf(error) });
    } finally {
      this.trying.set(null);
    }
  }

  /** What a try came to: whether the step passed, and whether something else was the reason where it did not. */
  #outcome(rehearsal: Rehearsal, step: string, candidate: SourceCandidate): { tone: 'good' | 'bad'; text: string } {
    const [number, played] = [this.numberOf(step), rehearsal.steps.find((rehearsedStep) => rehearsedStep.step === step)];
    if (played?.verdict === 'passed')
      return { tone: 'good', text: `Step ${number} passed with it in rehearsal ${rehearsal.number}. Use it, or try another.` };
    const why = rehearsal.divergence;
    if (!why)
      return { tone: 'bad', text: `Step ${number} was not reached in rehearsal ${rehearsal.number}. Mend the steps before it first.` };
    const isOther = why.step !== step || (why.refused !== null && why.refused !== this.sources.value()?.recorded);
    return {
      tone: 'bad',
      text: isOther
        ? `The try says nothing of “${candidate.sentence}”, because something else failed first. ${why.sentence}`
        : why.sentence,
    };
  }

  async use(candidate: SourceCandidate): Promise<void> {
    const at = this.at();
    if (!at) return;
    try {
      const { script } = await this.#onceSaved(() => this.#api.useSource(this.id(), at, candidate.id));
      this.#store.dispatch(scriptsActions.bound({ script }));
      this.said.set({ tone: 'good', text: 'The script sends it this way now. Undo on the script screen takes it back.' });
    } catch (error) {
      this.said.set({ tone: 'bad', text: problemOf(error) });
    }
  }
}
