import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { mostCompared, type Run } from '@sturdy/core';
import { moment } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';
import { runsActions } from '../state/runs.actions';
import { runsFeature } from '../state/runs.feature';
import { ListPage } from '../shared/list-page';
import { WhyNot } from '../shared/why-not';

/** All runs, newest first, each with its verdict. */
@Component({
  selector: 'app-run-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ListPage, RouterLink, VerdictShape, WhyNot],
  template: `<app-list-page
    heading="Runs"
    hint="tick two to six of them to see them side by side"
    [count]="list().length"
    [listed]="listed()"
  >
    <ng-container ngProjectAs="[actions]">
      @if (list().length > 1) {
        <button class="act" (click)="compare()" [whyNot]="why()">
          <i class="bi bi-layout-split" aria-hidden="true"></i>Compare {{ chosen().length > 0 ? chosen().length + ' runs' : 'runs' }}
        </button>
      }
    </ng-container>
    <thead>
      <tr>
        <th><span class="visually-hidden">Compare</span></th>
        <th></th>
        <th>Run</th>
        <th>Workload</th>
        <th>Release</th>
        <th>Started</th>
        <th class="num">Users</th>
        <th>Verdict</th>
        <th>State</th>
      </tr>
    </thead>
    <tbody>
      @for (run of list(); track run.id) {
        <tr>
          <td>
            <input
              type="checkbox"
              [attr.aria-label]="'Compare run ' + run.number"
              [checked]="chosen().includes(run.id)"
              (change)="toggle(run.id)"
            />
          </td>
          <td><app-verdict [verdict]="shape(run)" /></td>
          <td>
            <a [routerLink]="['/runs', run.id]"
              ><b>Run {{ run.number }}</b></a
            >
          </td>
          <td>
            {{ run.workload.name }}
            @if (run.baseline) {
              <span class="muted small">baseline</span>
            }
          </td>
          <td>{{ run.release ?? '' }}</td>
          <td>{{ moment(run.startedAt) }}</td>
          <td class="num">{{ users(run) }}</td>
          <td>{{ run.verdict === 'held' ? 'criteria held' : run.verdict === 'missed' ? 'criteria missed' : 'none' }}</td>
          <td>{{ run.state }}</td>
        </tr>
      }
    </tbody>
    <ng-container ngProjectAs="[empty]"
      >No run yet. Open a workload and start it.<br /><a class="act main" routerLink="/workloads">Open the workloads</a></ng-container
    >
  </app-list-page>`,
})
export class RunList {
  readonly #store = inject(Store);
  readonly list = this.#store.selectSignal(runsFeature.selectList);
  readonly listed = this.#store.selectSignal(runsFeature.selectListed);
  readonly moment = moment;
  readonly #router = inject(Router);
  /** Ids of runs to be compared. */
  readonly chosen = signal<readonly string[]>([]);
  readonly why = computed(() =>
    this.chosen().length < 2
      ? 'Tick two to six runs; the oldest is what the others are set against.'
      : this.chosen().length > mostCompared
        ? `Tick at most ${mostCompared} runs.`
        : null,
  );

  constructor() {
    this.#store.dispatch(runsActions.listAsked());
  }

  toggle(id: string): void {
    this.chosen.update((chosen) => (chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id]));
  }
  compare(): void {
    const oldestFirst = this.list()
      .filter(({ id }) => this.chosen().includes(id))
      .reverse();
    void this.#router.navigate(['/runs/compare'], { queryParams: { runs: oldestFirst.map(({ id }) => id).join(',') } });
  }

  users(run: Run): number {
    return run.workload.crews.reduce((sum, crew) => sum + crew.users, 0);
  }
  shape(run: Run): string {
    return run.verdict === 'held' ? 'passed' : run.verdict === 'missed' ? 'failed' : run.state === 'done' ? 'none' : 'drifted';
  }
}
