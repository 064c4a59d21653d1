import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, resource, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { recordedSteps, type Extractor, type Proposal, type Trial, type TriedResponse } from '@sturdy/core';
import { catchError, debounceTime, filter, firstValueFrom, of, switchMap } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import { SecretMask } from '../shared/secret-mask';
import { hue } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';
import { loadScriptOf } from '../state/script-of-address';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { ExtractorForm } from './extractor-form';
import { MarkedBody } from './marked-body';
import { WhyNot } from '../shared/why-not';

const shapes: Record<TriedResponse['verdict'], string> = {
  right: 'passed',
  read: 'passed',
  wrong: 'failed',
  nothing: 'not-sent',
  refused: 'none',
};

/** Other answers that are named, at the most. */
const mostOthers = 8;

/** One handoff: how it is read, other ways to read it, and each of them tried on every answer at hand. */
@Component({
  selector: 'app-handoff-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [WhyNot, RouterLink, ExtractorForm, MarkedBody, VerdictShape],
  templateUrl: './handoff-screen.html',
  styleUrl: './handoff-screen.scss',
})
export class HandoffScreen {
  readonly #store = inject(Store);
  readonly #api = inject(Api);
  /** Id of the script, from the address. */
  readonly id = input.required<string>();
  /** Id of the handoff, from the address. */
  readonly handoff = input.required<string>();
  readonly script = this.#store.selectSignal(scriptsFeature.selectCurrent);
  readonly saved = this.#store.selectSignal(scriptsFeature.selectSaved);
  readonly shownHandoff = computed(() => this.script()?.handoffs.find((handoff) => handoff.id === this.handoff()));
  readonly colour = computed(() => hue(Math.max(0, this.script()?.handoffs.findIndex((handoff) => handoff.id === this.handoff()) ?? 0)));
  readonly #steps = computed(() => {
    const script = this.script();
    return new Map(script ? recordedSteps(script).map((step) => [step.step.id, step]) : []);
  });
  /** What is being tried: what is in use until another way is chosen or written. */
  readonly draft = linkedSignal<Extractor | undefined>(() => this.shownHandoff()?.extractor);
  readonly everywhere = signal(false);
  readonly writing = signal(false);
  readonly chosen = signal(0);
  readonly changed = computed(() => JSON.stringify(this.draft()) !== JSON.stringify(this.shownHandoff()?.extractor));
  readonly proposals = resource({
    params: () =>
      this.shownHandoff()
        ? { script: this.id(), handoff: this.handoff(), extractor: this.shownHandoff()?.extractor, saved: this.saved() }
        : undefined,
    loader: ({ params }): Promise<Proposal[]> => firstValueFrom(this.#api.proposals(params.script, params.handoff)),
  });
  readonly #wanted = computed(() => ({ extractor: this.draft(), everywhere: this.everywhere() }));
  readonly trial = toSignal(
    toObservable(this.#wanted).pipe(
      // While someone writes, only what stands still for a moment is tried.
      debounceTime(200),
      filter((wanted): wanted is { extractor: Extractor; everywhere: boolean } => wanted.extractor !== undefined),
      switchMap(({ extractor, everywhere }) =>
        this.#api
          .tryExtractor(this.id(), this.handoff(), extractor, everywhere)
          .pipe(catchError((error: unknown) => of<Trial>({ describes: '', tried: [], elsewhere: null, problem: problemOf(error) }))),
      ),
    ),
  );
  readonly shown = computed(() => this.trial()?.tried[Math.min(this.chosen(), (this.trial()?.tried.length ?? 1) - 1)]);
  readonly shapes = shapes;

  constructor() {
    loadScriptOf(this.id);
    const mask = inject(SecretMask);
    effect(() => {
      const [takeId, hash] = [this.script()?.takeId, this.shown()?.body?.hash];
      if (takeId) void mask.look(takeId, [], hash === undefined ? [] : [hash]);
    });
  }

  numberOf(step: string): number {
    return this.#steps().get(step)?.number ?? 0;
  }
  nameOf(step: string): string {
    return this.#steps().get(step)?.step.name ?? step;
  }
  /** Other steps whose answers hold it too, in words; empty where there are none. */
  placesWords(others: readonly { step: string; count: number }[]): string {
    const words = others.slice(0, mostOthers).map(({ step, count }) => `step ${this.numberOf(step)} (${count})`);
    return others.length === 0 ? '' : `: ${words.join(', ')}${others.length > mostOthers ? ', …' : ''}`;
  }
  sourceOf(response: TriedResponse): string {
    return response.source === 'take'
      ? 'Take'
      : response.source === 'second-take'
        ? 'Second take'
        : `Rehearsal ${response.rehearsal ?? ''}`;
  }
  picked(response: TriedResponse): string {
    const values = response.matches.filter((match) => match.picked).map((match) => match.value);
    const [first = ''] = values;
    return values.length > 1 ? `one of ${values.length}, such as ${first}` : first;
  }
  said(response: TriedResponse): string {
    switch (response.verdict) {
      case 'right':
        return 'right';
      case 'wrong':
        return `wrong, ${(response.expected ?? '').slice(0, 40)} was sent`;
      case 'nothing':
        return 'finds nothing';
      case 'read':
        return 'read';
      case 'refused':
        return 'this step had failed there';
    }
  }
  isDraft(extractor: Extractor): boolean {
    return JSON.stringify(extractor) === JSON.stringify(this.draft());
  }
  resultOf(proposal: Proposal): string {
    const parts = [
      proposal.right > 0 ? `right on ${proposal.right}` : '',
      proposal.read > 0 ? `reads on ${proposal.read} more` : '',
      proposal.wrong > 0 ? `wrong on ${proposal.wrong}` : '',
      proposal.nothing > 0 ? `nothing on ${proposal.nothing}` : '',
    ];
    return parts.filter(Boolean).join(', ');
  }
  rename(name: string): void {
    const trimmed = name.trim();
    if (trimmed !== '' && trimmed !== this.shownHandoff()?.name)
      this.#store.dispatch(scriptsActions.edited({ edit: { kind: 'rename-handoff', handoff: this.handoff(), name: trimmed } }));
  }
  use(): void {
    const extractor = this.draft();
    if (extractor) this.#store.dispatch(scriptsActions.edited({ edit: { kind: 'set-extractor', handoff: this.handoff(), extractor } }));
  }
  putBack(): void {
    this.draft.set(this.shownHandoff()?.extractor);
  }
}
