import { ChangeDetectionStrategy, Component, computed, effect, inject, input } from '@angular/core';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap';
import { Store } from '@ngrx/store';
import { pacingForRate, usersForRate, userSpan, curveSeconds, type Crew, type Criterion, type Workload } from '@sturdy/core';
import type { EChartsCoreOption } from 'echarts/core';
import { dataActions, dataFeature } from '../data/data';
import { scriptsActions } from '../scripts/scripts.actions';
import { scriptsFeature } from '../scripts/scripts.feature';
import { Chart } from '../shared/chart';
import { clock, figure } from '../shared/format';
import { NumberField } from '../shared/number-field';
import { DryDealDialog } from './dry-deal-dialog';
import { workloadsActions, workloadsFeature } from './workloads';

/** One workload: crews as rows, the curve, the criteria; at the right the forecast and what stands in the way. */
@Component({
  selector: 'app-workload-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Chart, NumberField],
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
    .chart {
      height: 150px;
    }
    .crew {
      display: flex;
      gap: 10px;
      flex-wrap: wrap;
      align-items: end;
      padding: 10px 12px;
      border-bottom: 1px solid var(--line);
    }
    .crew:last-child {
      border-bottom: 0;
    }
    .n {
      width: 80px;
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
  readonly workload = computed(() => this.#list().find((one) => one.id === this.id()));
  readonly forecast = this.#store.selectSignal(workloadsFeature.selectForecast);
  readonly starting = this.#store.selectSignal(workloadsFeature.selectStarting);
  readonly scripts = this.#store.selectSignal(scriptsFeature.selectAll);
  readonly tables = this.#store.selectSignal(dataFeature.selectTables);
  readonly transactions = computed(() => [
    ...new Set(
      this.workload()?.crews.flatMap(
        (crew) =>
          this.scripts()
            .find((one) => one.id === crew.scriptId)
            ?.transactions.map((one) => one.name) ?? [],
      ) ?? [],
    ),
  ]);
  readonly curve = computed(() => {
    const workload = this.workload();
    return (colour: (name: string) => string): EChartsCoreOption => curveChart(workload, colour);
  });
  readonly measures: { id: Criterion['measure']; name: string; unit: string }[] = [
    { id: 'mean', name: 'mean', unit: 'ms' },
    { id: 'p50', name: 'p50', unit: 'ms' },
    { id: 'p90', name: 'p90', unit: 'ms' },
    { id: 'p95', name: 'p95', unit: 'ms' },
    { id: 'p99', name: 'p99', unit: 'ms' },
    { id: 'error-rate', name: 'error rate', unit: '%' },
  ];
  readonly clock = clock;
  readonly figure = figure;

  constructor() {
    effect(() => {
      this.#store.dispatch(workloadsActions.opened({ id: this.id() }));
    });
    this.#store.dispatch(scriptsActions.listAsked());
    this.#store.dispatch(dataActions.listAsked());
  }

  tableName(id: string): string {
    return this.tables().find((one) => one.id === id)?.name ?? 'a table';
  }
  unit(measure: Criterion['measure']): string {
    return measure === 'error-rate' ? '%' : 'ms';
  }
  /** Iterations an hour of a crew at its pacing. */
  rate(crew: Crew): string {
    return crew.pacing.kind === 'start-to-start' && crew.pacing.seconds > 0
      ? `${figure((3600 * crew.users) / crew.pacing.seconds)} an hour`
      : 'as fast as it answers';
  }
  change(change: Partial<Workload>): void {
    const workload = this.workload();
    if (workload) this.#store.dispatch(workloadsActions.changed({ workload: { ...workload, ...change } }));
  }
  changeCurve(change: Partial<Workload['curve']>): void {
    const workload = this.workload();
    if (workload) this.change({ curve: { ...workload.curve, ...change } });
  }
  changeCrew(id: string, change: Partial<Crew>): void {
    this.change({ crews: this.workload()?.crews.map((one) => (one.id === id ? { ...one, ...change } : one)) ?? [] });
  }
  addCrew(): void {
    const workload = this.workload();
    const [script] = this.scripts();
    if (!workload || !script) return;
    const id = `c${workload.crews.reduce((highest, one) => Math.max(highest, Number(one.id.slice(1)) || 0), 0) + 1}`;
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
        },
      ],
    });
  }
  removeCrew(id: string): void {
    this.change({ crews: this.workload()?.crews.filter((one) => one.id !== id) ?? [] });
  }
  /** Sizes a crew for a rate: users at its pacing, or the pacing where it has none. */
  size(crew: Crew, ratePerHour: number): void {
    if (!(ratePerHour > 0)) return;
    if (crew.pacing.kind === 'start-to-start' && crew.pacing.seconds > 0)
      this.changeCrew(crew.id, { users: Math.max(1, usersForRate(ratePerHour, crew.pacing.seconds)) });
    else
      this.changeCrew(crew.id, {
        pacing: { kind: 'start-to-start', seconds: Math.round(pacingForRate(ratePerHour, crew.users) * 10) / 10 },
      });
  }
  addCriterion(): void {
    const criteria = this.workload()?.criteria ?? [];
    const id = `k${criteria.reduce((highest, one) => Math.max(highest, Number(one.id.slice(1)) || 0), 0) + 1}`;
    this.change({ criteria: [...criteria, { id, measure: 'p95', transaction: this.transactions()[0] ?? null, limit: 2000 }] });
  }
  changeCriterion(id: string, change: Partial<Criterion>): void {
    this.change({ criteria: this.workload()?.criteria.map((one) => (one.id === id ? { ...one, ...change } : one)) ?? [] });
  }
  removeCriterion(id: string): void {
    this.change({ criteria: this.workload()?.criteria.filter((one) => one.id !== id) ?? [] });
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
  remove(): void {
    this.#store.dispatch(workloadsActions.deleteWanted({ id: this.id() }));
  }
}

function curveChart(workload: Workload | undefined, colour: (name: string) => string): EChartsCoreOption {
  if (!workload) return {};
  // Corners of the curve: every start and every end of a user.
  const changes: [number, number][] = [];
  for (const crew of workload.crews)
    for (let n = 0; n < crew.users; n++) {
      const { startSeconds, endSeconds } = userSpan(workload.curve, n, crew.users);
      changes.push([startSeconds, 1], [endSeconds, -1]);
    }
  changes.sort((left, right) => left[0] - right[0]);
  let users = 0;
  const points: [number, number][] = [[0, 0]];
  for (const [second, by] of changes) points.push([second, (users += by)]);
  return {
    animation: false,
    textStyle: { fontFamily: 'Figtree Variable', color: colour('ink-2') },
    grid: { left: 40, right: 16, top: 12, bottom: 24 },
    tooltip: {
      trigger: 'axis',
      valueFormatter: (value: unknown) => `${String(value)} users`,
      backgroundColor: colour('surface'),
      textStyle: { color: colour('ink') },
    },
    xAxis: {
      type: 'value',
      max: curveSeconds(workload.curve),
      axisLabel: { formatter: (value: number) => clock(value), color: colour('ink-2'), showMaxLabel: false },
      splitLine: { show: false },
    },
    yAxis: { type: 'value', minInterval: 1, axisLabel: { color: colour('ink-2') }, splitLine: { lineStyle: { color: colour('line') } } },
    series: [
      {
        type: 'line',
        step: 'end',
        symbol: 'none',
        data: points,
        lineStyle: { color: colour('s0'), width: 2 },
        areaStyle: { color: colour('teal-soft') },
      },
    ],
  };
}
