import { ChangeDetectionStrategy, Component, computed, effect, inject, input, resource, signal, untracked } from '@angular/core';
import {
  failureKind,
  failureKindWords,
  actionSteps,
  samplesOnPage,
  type RunResult,
  type Sample,
  type SamplePage,
  type SamplesKept,
  type Script,
  type UserFigures,
  type UserLogEntry,
} from '@sturdy/core';
import { catchError, firstValueFrom, of, Subscription } from 'rxjs';
import { Api, problemOf } from '../shared/api';
import { clock, figure } from '../shared/format';
import { NumberField } from '../shared/number-field';
import { WhyNot } from '../shared/why-not';
import { ExchangeView } from './exchange-view';

/** What the samples are narrowed to; empty narrows nothing. */
interface Narrowed {
  crew: string;
  transaction: string;
  step: string;
  user: number | null;
  failed: '' | 'yes' | 'no';
  /** Kind of failure. */
  failure: string;
  atLeastMs: number | null;
  fromSecond: number | null;
  toSecond: number | null;
  order: 'time' | 'slowest';
}

const everything: Narrowed = {
  crew: '',
  transaction: '',
  step: '',
  user: null,
  failed: '',
  failure: '',
  atLeastMs: null,
  fromSecond: null,
  toSecond: null,
  order: 'time',
};

/** The single requests of a run, narrowed by what they were, when, and how they went; and the users who sent them. */
@Component({
  selector: 'app-samples-card',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ExchangeView, WhyNot, NumberField],
  templateUrl: './samples-card.html',
  styles: `
    .narrow {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
      align-items: end;
    }
    .narrow app-number-field,
    .narrow .n {
      width: 110px;
    }
    .narrow select {
      max-width: 230px;
    }
    .wide {
      overflow: auto;
      max-height: 420px;
    }
    .failed td {
      color: var(--red);
    }
  `,
})
export class SamplesCard {
  readonly #api = inject(Api);
  readonly result = input.required<RunResult>();
  readonly scripts = input.required<readonly Script[]>();
  /** What it is narrowed to from outside; steps by their names. */
  readonly narrowing = input<Partial<Narrowed> | null>(null);
  readonly narrowed = signal(everything);
  readonly page = signal(0);
  readonly view = signal<'requests' | 'users'>('requests');
  /** Undefined while nothing has come yet, null where no samples are kept. */
  readonly found = signal<(SamplePage & SamplesKept) | null | undefined>(undefined);
  readonly users = signal<UserFigures[]>([]);
  readonly problem = signal<string | null>(null);
  readonly perPage = samplesOnPage;
  readonly figure = figure;
  readonly clock = clock;
  readonly steps = computed(() => {
    const played = new Set(this.result().run.workload.crews.map((crew) => crew.scriptId));
    return this.scripts()
      .filter((script) => played.has(script.id))
      .flatMap((script) =>
        actionSteps(script).map(({ step, transaction }) => ({ id: step.id, name: step.name, transaction: transaction.name })),
      );
  });
  readonly transactions = computed(() => [...new Set(this.steps().map((step) => step.transaction))]);
  readonly shownSteps = computed(() => {
    const { transaction } = this.narrowed();
    return this.steps().filter((step) => transaction === '' || step.transaction === transaction);
  });
  readonly words = failureKindWords;
  /** The kinds of failure that the run has. */
  readonly kinds = computed(() => [...new Set(this.result().failures.map(failureKind))].sort());
  readonly isNarrowed = computed(() => JSON.stringify({ ...this.narrowed(), order: 'time' }) !== JSON.stringify(everything));
  readonly #stepNames = computed(() => new Map(this.steps().map((step) => [step.id, step.name])));
  readonly #crewNames = computed(() => new Map(this.result().run.workload.crews.map((crew) => [crew.id, crew.name])));

  /** What was captured in full, of users whom somebody chose. */
  readonly #captured = resource({
    params: () => this.result().run.id,
    loader: ({ params }) => firstValueFrom(this.#api.captured(params).pipe(catchError(() => of([])))),
  });
  /** The row whose exchange is shown. */
  readonly opened = signal<Sample | null>(null);

  constructor() {
    effect(() => {
      const narrowing = this.narrowing();
      if (!narrowing) return;
      const step = narrowing.step === undefined ? undefined : this.steps().find(({ name }) => name === narrowing.step)?.id;
      untracked(() => {
        this.page.set(0);
        this.narrowed.set({ ...everything, ...narrowing, step: step ?? '' });
      });
    });
    effect((whenGone) => {
      const [{ run }, narrowed, page, view] = [this.result(), this.narrowed(), this.page(), this.view()];
      const query = Object.fromEntries(
        Object.entries({ ...narrowed, page }).flatMap(([name, value]) => (value === null || value === '' ? [] : [[name, value]])),
      );
      const failed = (error: unknown) => {
        this.problem.set(problemOf(error));
      };
      const asked = new Subscription();
      asked.add(
        this.#api.samples(run.id, query).subscribe({
          next: (found) => {
            this.problem.set(null);
            this.found.set(found);
          },
          error: failed,
        }),
      );
      if (view === 'users')
        asked.add(
          this.#api.sampledUsers(run.id, query).subscribe({
            next: (users) => {
              this.users.set(users);
            },
            error: failed,
          }),
        );
      whenGone(() => {
        asked.unsubscribe();
      });
    });
  }

  /** The exchange of a request where it was captured in full; null where it was not. */
  exchangeOf({ user, iteration, step, durationMs }: Sample): UserLogEntry['exchange'] {
    const entries = this.#captured.hasValue() ? this.#captured.value() : [];
    return (
      entries.find(
        (entry) =>
          entry.user === user && entry.iteration === iteration && entry.step === step && Math.abs(entry.durationMs - durationMs) < 1,
      )?.exchange ?? null
    );
  }
  stepName(step: string): string {
    return this.#stepNames().get(step) ?? step;
  }
  crewName(crew: string): string {
    return this.#crewNames().get(crew) ?? crew;
  }
  /** Narrows to something; the first page of it is shown. */
  narrow(more: Partial<Narrowed>): void {
    this.page.set(0);
    this.narrowed.update((narrowed) => ({ ...narrowed, ...more }));
  }
  /** `outcome` is yes or no, or a kind of failure. */
  narrowOutcome(outcome: string): void {
    const isKind = outcome !== '' && outcome !== 'yes' && outcome !== 'no';
    this.narrow(isKind ? { failed: '', failure: outcome } : { failed: outcome, failure: '' });
  }
  /** A field that was emptied says 0. */
  narrowNumber(name: 'user' | 'atLeastMs' | 'fromSecond' | 'toSecond', value: number): void {
    this.narrow({ [name]: value > 0 ? value : null });
  }
  ofUser(user: number): void {
    this.view.set('requests');
    this.narrow({ user });
  }
  widen(): void {
    this.page.set(0);
    this.narrowed.set(everything);
  }
}
