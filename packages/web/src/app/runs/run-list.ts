import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { Run } from '@sturdy/core';
import { moment } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';
import { runsActions } from '../state/runs.actions';
import { runsFeature } from '../state/runs.feature';
import { ListPage } from '../shared/list-page';

/** All runs, newest first, each with its verdict. */
@Component({
  selector: 'app-run-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ListPage, RouterLink, VerdictShape],
  template: `<app-list-page heading="Runs" [count]="list().length" [listed]="listed()">
    <thead>
      <tr>
        <th></th>
        <th>Run</th>
        <th>Workload</th>
        <th>Started</th>
        <th class="num">Users</th>
        <th>Verdict</th>
        <th>State</th>
      </tr>
    </thead>
    <tbody>
      @for (run of list(); track run.id) {
        <tr>
          <td><app-verdict [verdict]="shape(run)" /></td>
          <td>
            <a [routerLink]="['/runs', run.id]"
              ><b>Run {{ run.number }}</b></a
            >
          </td>
          <td>{{ run.workload.name }}</td>
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

  constructor() {
    this.#store.dispatch(runsActions.listAsked());
  }

  users(run: Run): number {
    return run.workload.crews.reduce((sum, crew) => sum + crew.users, 0);
  }
  shape(run: Run): string {
    return run.verdict === 'held' ? 'passed' : run.verdict === 'missed' ? 'failed' : run.state === 'done' ? 'none' : 'drifted';
  }
}
