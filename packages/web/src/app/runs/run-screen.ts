import { NgTemplateOutlet } from '@angular/common';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  type OnDestroy,
  signal,
  viewChild,
} from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import {
  allSteps,
  curveSeconds,
  laneHeights,
  phasesOf,
  stretchOf,
  type Finding,
  type LanesView,
  type Run,
  type UserState,
} from '@sturdy/core';
import { catchError, of, switchMap } from 'rxjs';
import { ProductionSign } from '../environment/production-sign';
import { dataActions } from '../state/data.actions';
import { dataFeature } from '../state/data.feature';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { Api } from '../shared/api';
import { FocusAtOnce } from '../shared/focus-at-once';
import { clock, figure, moment } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';
import { FindingsCard } from './findings-card';
import { MarksCard } from './marks-card';
import { CapturedCard } from './captured-card';
import { FailureGroups } from './failure-groups';
import { Lanes } from './lanes';
import { RunTableCard } from './run-table';
import { SamplesCard } from './samples-card';
import { SteerCard } from './steer-card';
import { runsActions } from '../state/runs.actions';
import { isLive, runsFeature, selectHostSeries } from '../state/runs.feature';

/** A run: the run room while it is live, its verdict and figures once it has ended. Both share the lanes. */
@Component({
  selector: 'app-run-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    ProductionSign,
    NgTemplateOutlet,
    RouterLink,
    CapturedCard,
    FindingsCard,
    MarksCard,
    Lanes,
    FailureGroups,
    FocusAtOnce,
    RunTableCard,
    SamplesCard,
    SteerCard,
    VerdictShape,
  ],
  templateUrl: './run-screen.html',
  styleUrls: ['./run-frame.scss', './run-screen.scss'],
  host: { '(document:keydown)': 'key($event)' },
})
export class RunScreen implements OnDestroy {
  readonly #store = inject(Store);
  readonly id = input.required<string>();
  /** A stretch that is marked on the lanes, such as 120-180 in seconds; so a link leads to a moment. */
  readonly at = input<string>();
  readonly result = this.#store.selectSignal(runsFeature.selectResult);
  readonly lanes = this.#store.selectSignal(runsFeature.selectLanes);
  readonly users = this.#store.selectSignal(runsFeature.selectUsers);
  readonly failures = this.#store.selectSignal(runsFeature.selectFailures);
  readonly passed = this.#store.selectSignal(runsFeature.selectPassed);
  readonly failed = this.#store.selectSignal(runsFeature.selectFailed);
  readonly scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  readonly live = computed(() => {
    const run = this.result()?.run;
    return run !== undefined && isLive(run);
  });
  readonly last = computed(() => this.lanes().at(-1));
  readonly seconds = computed(() => {
    const run = this.result()?.run;
    return run ? curveSeconds(run.workload) : 0;
  });
  /** All figures of watched hosts that were read at least once. */
  readonly hosts = computed(() => this.#hostSeries().filter((series) => series.points.some(([, value]) => value !== null)));
  readonly #hostSeries = this.#store.selectSignal(selectHostSeries);
  /** Figures that have a lane; null as long as nobody chose: then the first of each host has one. */
  readonly #chosenHosts = signal<ReadonlySet<string> | null>(null);
  readonly shownHosts = computed(() => {
    const chosen = this.#chosenHosts();
    const seen = new Set<string>();
    return this.hosts().filter(({ id, host }) => (chosen ? chosen.has(id) : !seen.has(host) && seen.add(host)));
  });
  readonly heights = computed(() => laneHeights(this.shownHosts().length));
  /** The first limit of response times, which the lanes show. */
  readonly limit = computed(
    () => this.result()?.run.workload.criteria.find((criterion) => criterion.measure !== 'error-rate')?.limit ?? null,
  );
  readonly isOver = computed(() => (this.last()?.p95Ms ?? 0) > (this.limit() ?? Infinity));
  readonly lanesView = computed((): LanesView => ({
    points: this.lanes(),
    seconds: this.seconds(),
    limitMs: this.limit(),
    hosts: this.shownHosts(),
    events: this.events(),
    stretch: this.stretch(),
  }));
  readonly exports = [
    { file: 'result.csv', name: 'Figures, CSV' },
    { file: 'failures.csv', name: 'Failures, CSV' },
    { file: 'result.json', name: 'JSON' },
    { file: 'result.xml', name: 'JUnit' },
  ];
  readonly #api = inject(Api);
  /** Rows that the run spent, once it has ended; nothing is told where that cannot be asked. */
  readonly rowsUsed = toSignal(
    toObservable(computed(() => (this.live() ? null : (this.result()?.run.id ?? null)))).pipe(
      switchMap((id) => (id === null ? of([]) : this.#api.rowsUsed(id).pipe(catchError(() => of([]))))),
    ),
    { initialValue: [] },
  );
  readonly #marks = signal(0);
  /** The zero line of the run; asked again when marks change. */
  readonly baseline = toSignal(
    toObservable(computed(() => ({ id: this.live() ? undefined : this.result()?.run.id, marks: this.#marks() }))).pipe(
      switchMap(({ id }) => (id === undefined ? of(null) : this.#api.baseline(id).pipe(catchError(() => of(null))))),
    ),
    { initialValue: null },
  );
  readonly laneSection = viewChild<ElementRef<HTMLElement>>('laneSection');
  readonly #router = inject(Router);
  readonly #tables = this.#store.selectSignal(dataFeature.selectTables);
  /** What each crew was dealt, tables by their names. */
  readonly dealt = computed(() =>
    (this.result()?.dealt ?? []).map((dealt) => ({
      ...dealt,
      table: this.#tables().find(({ id }) => id === dealt.table)?.name ?? 'a data table',
    })),
  );
  readonly asked = signal<'' | 'finish' | 'abort'>('');
  readonly user = signal<number | null>(null);
  readonly chosenUser = computed(() => this.users().find((user) => user.user === this.user()));
  /** What the chosen user did last, newest first. */
  readonly userLog = computed(() =>
    this.#log()
      .filter((entry) => entry.user === this.user())
      .slice(-60)
      .reverse(),
  );
  readonly #log = this.#store.selectSignal(runsFeature.selectLog);
  readonly capturing = signal<ReadonlySet<number>>(new Set());
  choose(user: number): void {
    this.user.set(user);
    this.#store.dispatch(runsActions.userWatched({ id: this.id(), user, captures: false }));
  }
  capture(user: number): void {
    this.capturing.update((all) => new Set([...all, user]));
    this.#store.dispatch(runsActions.userWatched({ id: this.id(), user, captures: true }));
  }
  readonly stepNames = computed(
    () =>
      new Map(
        this.scripts()
          .flatMap((script) => script.transactions.flatMap(({ steps }) => allSteps(steps)))
          .flatMap((step) => ('name' in step ? [[step.id, step.name]] : [])),
      ),
  );
  readonly verdict = computed(() => {
    const run = this.result()?.run;
    if (!run) return { shape: 'none', text: '' };
    if (run.state === 'interrupted') return { shape: 'drifted', text: 'Interrupted: no verdict' };
    if (run.state === 'aborted' || run.state === 'failed')
      return { shape: 'failed', text: `${run.state === 'aborted' ? 'Aborted' : 'Failed'}: no verdict` };
    if (run.verdict === 'held') return { shape: 'passed', text: 'All criteria held' };
    if (run.stoppedByRule) return { shape: 'failed', text: 'A stop rule ended it' };
    const judged = [...(this.result()?.criteria ?? []), ...(this.result()?.hostCriteria ?? [])];
    const missed = judged.filter((verdict) => !verdict.held).length;
    return run.verdict === 'missed'
      ? { shape: 'failed', text: `${missed} of ${judged.length} criteria missed` }
      : { shape: 'none', text: 'No criteria were set' };
  });
  readonly trusted = computed(() => this.result()?.trust.every((sign) => sign.good) ?? false);
  /** Height of the four lanes in the run room, in per cent of it, at the least: two more fit without scrolling. */
  readonly roomShare = 68;
  /** Height of the lanes without those of hosts, on the page of a run, in px. */
  readonly laneBase = 430;
  readonly clock = clock;
  readonly figure = figure;
  readonly moment = moment;

  constructor() {
    effect(() => {
      this.#store.dispatch(runsActions.opened({ id: this.id() }));
    });
    this.#store.dispatch(scriptsActions.listAsked());
    this.#store.dispatch(dataActions.listAsked());
  }

  readonly stretch = computed(() => stretchOf(this.at()));

  /** Marks when a finding was, shows the figures of hosts that belong to it, and goes there. */
  showMoment({ fromSecond, toSecond, series }: Finding): void {
    if (fromSecond === null) return;
    if (series.length > 0) this.#chosenHosts.set(new Set([...this.shownHosts().map(({ id }) => id), ...series]));
    void this.#router.navigate([], {
      queryParams: { at: `${Math.floor(fromSecond)}-${Math.ceil(toSecond ?? fromSecond + 1)}` },
      replaceUrl: true,
    });
    // Only the result is scrolled: the frame around it must stay where it is.
    const lanes = this.laneSection()?.nativeElement;
    lanes?.parentElement?.scrollTo({ top: lanes.offsetTop - lanes.parentElement.offsetTop });
  }
  leaveStretch(): void {
    void this.#router.navigate([], { queryParams: {}, replaceUrl: true });
  }
  marked(run: Run): void {
    this.#store.dispatch(runsActions.runChanged({ run }));
    this.#marks.update((count) => count + 1);
  }

  ngOnDestroy(): void {
    this.#store.dispatch(runsActions.closed());
  }

  stepName(step: string | null): string {
    return step === null ? 'between iterations' : (this.stepNames().get(step) ?? step);
  }
  cellOf(user: UserState): string {
    return user.lastError !== null && user.state !== 'ended' ? 'failed' : user.state;
  }
  toggleHost(id: string): void {
    const chosen = new Set(this.shownHosts().map((host) => host.id));
    if (!chosen.delete(id)) chosen.add(id);
    this.#chosenHosts.set(chosen);
  }
  isShown(id: string): boolean {
    return this.shownHosts().some((host) => host.id === id);
  }
  readonly events = computed(() => this.result()?.run.events ?? []);
  readonly paused = computed(
    () => this.live() && this.events().findLast((event) => event.kind === 'pause' || event.kind === 'resume')?.kind === 'pause',
  );
  /** The phase of the curve that is played, and the one after it; null in the last one. */
  readonly nextPhase = computed(() => {
    const run = this.result()?.run;
    if (!run) return null;
    const skipped = this.events().reduce((sum, event) => sum + (event.skippedSeconds ?? 0), 0);
    const seconds = (this.last()?.second ?? 0) + 1 + skipped;
    const phases = phasesOf(run.workload);
    const at = phases.findIndex((phase) => seconds < phase.endSeconds);
    const [playing, next] = [phases[at], phases[at + 1]];
    return playing && next ? { playing: playing.name, name: next.name } : null;
  });
  goToNextPhase(): void {
    this.#store.dispatch(runsActions.nextPhaseWanted({ id: this.id() }));
  }
  /** The room by keyboard; what is typed into a field is no order. */
  key(event: KeyboardEvent): void {
    const typing = event.target instanceof HTMLElement && event.target.closest('input, textarea, select, [role=dialog]') !== null;
    if (!this.live() || typing || event.ctrlKey || event.metaKey || event.altKey) return;
    const orders: Record<string, () => void> = {
      p: () => {
        if (this.paused()) this.resume();
        else this.pause();
      },
      n: () => {
        if (this.nextPhase()) this.goToNextPhase();
      },
      f: () => {
        this.asked.set('finish');
      },
      a: () => {
        this.asked.set('abort');
      },
      Escape: () => {
        this.asked.set('');
      },
    };
    const order = Object.hasOwn(orders, event.key) ? orders[event.key] : undefined;
    if (!order) return;
    event.preventDefault();
    order();
  }
  pause(): void {
    this.#store.dispatch(runsActions.pauseWanted({ id: this.id() }));
  }
  resume(): void {
    this.#store.dispatch(runsActions.resumeWanted({ id: this.id() }));
  }
  changeUsers({ crew, users }: { crew: string; users: number }): void {
    this.#store.dispatch(runsActions.usersWanted({ id: this.id(), crew, users }));
  }
  note(text: string): void {
    this.#store.dispatch(runsActions.noteWritten({ id: this.id(), text }));
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
