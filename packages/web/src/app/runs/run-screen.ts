import { ChangeDetectionStrategy, Component, computed, effect, inject, input, type OnDestroy, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { allSteps, curveSeconds, type UserState } from '@sturdy/core';
import type { EChartsCoreOption } from 'echarts/core';
import { scriptsActions } from '../scripts/scripts.actions';
import { scriptsFeature } from '../scripts/scripts.feature';
import { Chart } from '../shared/chart';
import { clock, figure, moment } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';
import { lanesOptions } from './lanes-chart';
import { isLive, runsActions, runsFeature } from './runs';

/** A run: the run room while it is live, its verdict and figures once it has ended. Both share the lanes. */
@Component({
  selector: 'app-run-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, Chart, VerdictShape],
  templateUrl: './run-screen.html',
  styleUrl: './run-screen.scss',
})
export class RunScreen implements OnDestroy {
  readonly #store = inject(Store);
  readonly id = input.required<string>();
  readonly result = this.#store.selectSignal(runsFeature.selectResult);
  readonly lanes = this.#store.selectSignal(runsFeature.selectLanes);
  readonly users = this.#store.selectSignal(runsFeature.selectUsers);
  readonly failures = this.#store.selectSignal(runsFeature.selectFailures);
  readonly passed = this.#store.selectSignal(runsFeature.selectPassed);
  readonly failed = this.#store.selectSignal(runsFeature.selectFailed);
  readonly #scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  readonly live = computed(() => {
    const run = this.result()?.run;
    return run !== undefined && isLive(run);
  });
  readonly last = computed(() => this.lanes().at(-1));
  readonly seconds = computed(() => {
    const run = this.result()?.run;
    return run ? curveSeconds(run.workload.curve) : 0;
  });
  readonly options = computed(() => {
    const points = this.lanes();
    const seconds = this.seconds();
    const limit = this.result()?.run.workload.criteria.find((one) => one.measure !== 'error-rate')?.limit ?? null;
    return (colour: (name: string) => string): EChartsCoreOption => lanesOptions(points, seconds, limit, colour);
  });
  readonly asked = signal<'' | 'finish' | 'abort'>('');
  readonly user = signal<number | null>(null);
  readonly chosenUser = computed(() => this.users().find((one) => one.user === this.user()));
  readonly open = signal<number | null>(null);
  readonly steps = signal(false);
  readonly rows = computed(() => (this.result()?.rows ?? []).filter((one) => one.step === null || this.steps()));
  readonly verdict = computed(() => {
    const run = this.result()?.run;
    if (!run) return { shape: 'none', text: '' };
    if (run.state === 'interrupted') return { shape: 'drifted', text: 'Interrupted: no verdict' };
    if (run.state === 'aborted' || run.state === 'failed')
      return { shape: 'failed', text: `${run.state === 'aborted' ? 'Aborted' : 'Failed'}: no verdict` };
    if (run.verdict === 'held') return { shape: 'passed', text: 'All criteria held' };
    const missed = this.result()?.criteria.filter((one) => !one.held).length ?? 0;
    return run.verdict === 'missed'
      ? { shape: 'failed', text: `${missed} of ${this.result()?.criteria.length ?? 0} criteria missed` }
      : { shape: 'none', text: 'No criteria were set' };
  });
  readonly trusted = computed(() => this.result()?.trust.every((one) => one.good) ?? false);
  readonly clock = clock;
  readonly figure = figure;
  readonly moment = moment;

  constructor() {
    effect(() => {
      this.#store.dispatch(runsActions.opened({ id: this.id() }));
    });
    this.#store.dispatch(scriptsActions.listAsked());
  }

  ngOnDestroy(): void {
    this.#store.dispatch(runsActions.closed());
  }

  stepName(step: string | null): string {
    if (step === null) return 'between iterations';
    for (const script of this.#scripts())
      for (const transaction of script.transactions)
        for (const one of allSteps(transaction.steps)) if (one.id === step && one.kind === 'request') return one.name;
    return step;
  }
  cellOf(user: UserState): string {
    return user.lastError !== null && user.state !== 'ended' ? 'failed' : user.state;
  }
  finish(): void {
    this.asked.set('');
    this.#store.dispatch(runsActions.finishWanted({ id: this.id() }));
  }
  abort(): void {
    this.asked.set('');
    this.#store.dispatch(runsActions.abortWanted({ id: this.id() }));
  }
}
