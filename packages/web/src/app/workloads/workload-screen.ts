import { ChangeDetectionStrategy, Component, computed, effect, inject, input, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import { toSignal } from '@angular/core/rxjs-interop';
import {
  emptyBrief,
  inheritedBy,
  usersByShares,
  plainSettings,
  type Crew,
  type CrewForecast,
  type Criterion,
  type LoadCurve,
  type Workload,
} from '@sturdy/core';
import { catchError, of } from 'rxjs';
import { briefActions } from '../state/brief.actions';
import { briefFeature } from '../state/brief.feature';
import { dataActions } from '../state/data.actions';
import { ProductionSign } from '../environment/production-sign';
import { dataFeature } from '../state/data.feature';
import { scriptsActions } from '../state/scripts.actions';
import { projectFeature } from '../state/project.feature';
import { scriptsFeature } from '../state/scripts.feature';
import { Api } from '../shared/api';
import { clock, figure } from '../shared/format';
import { LimitRows } from '../shared/limit-rows';
import { nextId } from '../shared/next-id';
import { NumberField } from '../shared/number-field';
import { CrewRow } from './crew-row';
import { CurveCard } from './curve-card';
import { DryDealDialog } from './dry-deal-dialog';
import { workloadsActions } from '../state/workloads.actions';
import { workloadsFeature } from '../state/workloads.feature';
import { WhyNot } from '../shared/why-not';

/** One workload: crews as rows, the curve, the criteria; at the right the forecast and what prevents a run. */
@Component({
  selector: 'app-workload-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ProductionSign, WhyNot, CrewRow, CurveCard, LimitRows, NumberField, RouterLink],
  templateUrl: './workload-screen.html',
  styles: `
    .columns {
      display: grid;
      grid-template-columns: 1fr 310px;
      gap: 14px;
      align-items: start;
    }
    .title {
      font: 660 20px var(--ui);
      background: none;
      border: 1px solid transparent;
      border-radius: 6px;
      color: var(--ink);
      min-width: 320px;
    }
    .title:hover,
    .title:focus {
      border-color: var(--line-strong);
      background: var(--surface);
    }
    aside {
      position: sticky;
      top: 12px;
    }
    .head {
      display: flex;
      align-items: end;
      gap: 14px;
      min-height: 30px;
      margin-bottom: 6px;
    }
    .from-project {
      display: flex;
      align-items: center;
      gap: 12px;
      padding: 8px 12px;
      border-bottom: 1px solid var(--line);
    }
    .head h2 {
      margin-bottom: 0;
    }
    .n {
      width: 72px;
    }
    .big {
      font-size: 22px;
      font-weight: 660;
      line-height: 1.15;
    }
    .facts {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 10px;
    }
  `,
})
export class WorkloadScreen {
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly id = input.required<string>();
  readonly #list = this.#store.selectSignal(workloadsFeature.selectList);
  readonly workload = computed(() => this.#list().find((workload) => workload.id === this.id()));
  readonly forecast = this.#store.selectSignal(workloadsFeature.selectForecast);
  readonly starting = this.#store.selectSignal(workloadsFeature.selectStarting);
  readonly scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  readonly environments = this.#store.selectSignal(projectFeature.selectEnvironments);
  readonly #chosen = this.#store.selectSignal(projectFeature.selectEnvironment);
  /** The environment in which a run of it would be played. */
  readonly environment = computed(() => this.environments().find(({ id }) => id === this.workload()?.environmentId) ?? this.#chosen());
  readonly tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly transactions = computed(() => [
    ...new Set(
      this.workload()?.crews.flatMap(
        (crew) =>
          this.scripts()
            .find((script) => script.id === crew.scriptId)
            ?.transactions.map((transaction) => transaction.name) ?? [],
      ) ?? [],
    ),
  ]);
  /** What holds for the whole project; without an answer nothing is inherited. */
  readonly #settings = toSignal(
    inject(Api)
      .projectSettings()
      .pipe(catchError(() => of(plainSettings))),
    { initialValue: plainSettings },
  );
  readonly #brief = this.#store.selectSignal(briefFeature.selectView);
  readonly inherited = computed(() => {
    const workload = this.workload();
    return workload ? inheritedBy(workload, this.scripts(), this.#brief()?.brief ?? emptyBrief, this.#settings()) : [];
  });
  readonly byShares = computed(
    () => this.workload()?.curve.kind !== 'arrivals' && (this.workload()?.crews.some((crew) => crew.sharePercent !== undefined) ?? false),
  );
  readonly allUsers = computed(() => this.workload()?.crews.reduce((sum, crew) => sum + crew.users, 0) ?? 0);
  readonly shareSum = computed(() => this.workload()?.crews.reduce((sum, crew) => sum + (crew.sharePercent ?? 0), 0) ?? 0);
  readonly clock = clock;
  readonly figure = figure;

  constructor() {
    this.#store.dispatch(briefActions.asked());
    effect(() => {
      this.#store.dispatch(workloadsActions.opened({ id: this.id() }));
    });
    // What is forecast depends on where it would be played.
    effect(() => {
      const environment = this.environment();
      const workload = untracked(() => this.workload());
      if (environment && workload) this.#store.dispatch(workloadsActions.forecastAsked({ workload }));
    });
    this.#store.dispatch(scriptsActions.listAsked());
    this.#store.dispatch(dataActions.listAsked());
  }

  tableName(id: string): string {
    return this.tables().find((table) => table.id === id)?.name ?? 'a table';
  }
  forecastOf(crew: string): CrewForecast | undefined {
    return this.forecast()?.crews.find((forecast) => forecast.crew === crew);
  }
  sayCriterion({ measure, transaction, limit }: Criterion): string {
    const whose = transaction === null ? 'of all transactions' : `of “${transaction}”`;
    return measure === 'error-rate' ? `Error rate ${whose}: ${limit} % at most` : `${measure} ${whose}: ${limit} ms at most`;
  }
  change(change: Partial<Workload>): void {
    const workload = this.workload();
    if (workload) this.#store.dispatch(workloadsActions.changed({ workload: { ...workload, ...change } }));
  }
  /** Names the environment in which it is always played; empty for the one that is chosen. */
  playIn(environmentId: string): void {
    const workload = this.workload();
    if (!workload) return;
    const { environmentId: _environment, ...rest } = workload;
    this.#store.dispatch(workloadsActions.changed({ workload: environmentId === '' ? rest : { ...rest, environmentId } }));
  }
  /** A crew that comes to an open model begins with the rate that its pacing made. */
  changeCurve(curve: LoadCurve): void {
    const crews = this.workload()?.crews ?? [];
    const rated = ({ users, pacing }: Crew) => (pacing.seconds > 0 ? Math.round((3600 * users) / pacing.seconds) : 420);
    this.change({
      curve,
      crews: curve.kind === 'arrivals' ? crews.map((crew) => ({ ...crew, ratePerHour: crew.ratePerHour ?? rated(crew) })) : crews,
    });
  }
  changeCrew(id: string, change: Partial<Crew>): void {
    const crews = this.workload()?.crews.map((crew) => (crew.id === id ? { ...crew, ...change } : crew)) ?? [];
    this.change({ crews: change.sharePercent === undefined ? crews : this.shared(crews, this.allUsers()) });
  }
  /** The crews with so many users dealt out by their shares. */
  shared(crews: readonly Crew[], users: number): Crew[] {
    const dealt = usersByShares(
      users,
      crews.map((crew) => crew.sharePercent ?? 0),
    );
    return crews.map((crew, at) => ({ ...crew, users: Math.max(1, dealt[at] ?? 1) }));
  }
  /** Begins with the shares that the numbers make, and keeps the numbers when shares are given up. */
  dealByShares(wanted: boolean): void {
    const all = Math.max(1, this.allUsers());
    this.change({
      crews:
        this.workload()?.crews.map(({ sharePercent: _share, ...rest }) =>
          wanted ? { ...rest, sharePercent: Math.round((1000 * rest.users) / all) / 10 } : rest,
        ) ?? [],
    });
  }
  limitTime(seconds: number): void {
    const workload = this.workload();
    if (!workload) return;
    const { limitSeconds: _limit, ...rest } = workload;
    this.#store.dispatch(workloadsActions.changed({ workload: seconds > 0 ? { ...rest, limitSeconds: seconds } : rest }));
  }
  addCrew(): void {
    const workload = this.workload();
    const [script] = this.scripts();
    if (!workload || !script) return;
    const id = nextId('c', workload.crews);
    this.change({
      crews: [
        ...workload.crews,
        {
          id,
          name: script.name,
          scriptId: script.id,
          users: 5,
          think: { kind: 'recorded', factor: 1, ms: 1000, capMs: 10_000 },
          pacing: { kind: 'start-to-start', seconds: 10 },
          onFailure: 'next-iteration',
          ...(this.byShares() ? { sharePercent: 10 } : {}),
          ...(workload.curve.kind === 'arrivals' ? { ratePerHour: 420 } : {}),
        },
      ],
    });
  }
  removeCrew(id: string): void {
    this.change({ crews: this.workload()?.crews.filter((crew) => crew.id !== id) ?? [] });
  }
  /** Takes a criterion of the project over, so that this workload can set it otherwise. */
  override(criterion: Criterion): void {
    const criteria = this.workload()?.criteria ?? [];
    const id = nextId('k', criteria);
    this.change({ criteria: [...criteria, { ...criterion, id }] });
  }
  dryDeal(): void {
    const workload = this.workload();
    if (!workload) return;
    const modal = this.#modals.open(DryDealDialog, { size: 'lg', scrollable: true });
    (modal.componentInstance as DryDealDialog).load(workload, this.tables());
  }
  run(): void {
    this.#store.dispatch(workloadsActions.runWanted({ id: this.id() }));
  }
  duplicate(): void {
    const workload = this.workload();
    if (!workload) return;
    const { id: _id, projectId: _project, ...rest } = workload;
    this.#store.dispatch(workloadsActions.makeWanted({ workload: { ...rest, name: `${workload.name}, copy` } }));
  }
  remove(): void {
    this.#store.dispatch(workloadsActions.deleteWanted({ id: this.id() }));
  }
}
