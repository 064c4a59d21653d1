import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { Run } from '@sturdy/core';
import { moment } from '../shared/format';
import { VerdictShape } from '../shared/verdict-shape';
import { runsActions } from '../state/runs.actions';
import { runsFeature } from '../state/runs.feature';

/** All runs, newest first, each with its verdict. */
@Component({
  selector: 'app-run-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, VerdictShape],
  template: `<div class="page">
    <div class="page-head"><h1>Runs</h1></div>
    @if (list().length > 0) {
      <div class="card-box">
        <table class="grid" aria-label="Runs">
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
        </table>
      </div>
    } @else if (listed()) {
      <div class="card-box empty">
        No run yet. Open a workload and start it.<br /><a class="act main" routerLink="/workloads">Open the workloads</a>
      </div>
    }
  </div>`,
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
