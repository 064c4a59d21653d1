import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { curveSeconds, type Workload } from '@sturdy/core';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';
import { clock } from '../shared/format';
import { workloadsActions } from '../state/workloads.actions';
import { workloadsFeature } from '../state/workloads.feature';
import { WhyNot } from '../shared/why-not';
import { ListPage } from '../shared/list-page';

/** All workloads; making one starts with a crew for the first script. */
@Component({
  selector: 'app-workload-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ListPage, WhyNot, RouterLink],
  template: `<app-list-page
    heading="Workloads"
    hint="who plays what, how many, how fast, and which limits must hold"
    [count]="list().length"
    [listed]="listed()"
  >
    <ng-container ngProjectAs="[actions]"
      ><button class="act main" (click)="make()" [whyNot]="!ready() && 'A crew plays a script. Make a script first.'">
        <i class="bi bi-plus-lg" aria-hidden="true"></i>New workload
      </button></ng-container
    >
    <thead>
      <tr>
        <th>Workload</th>
        <th class="num">Crews</th>
        <th class="num">Users</th>
        <th class="num">Length, min:s</th>
        <th class="num">Criteria</th>
      </tr>
    </thead>
    <tbody>
      @for (workload of list(); track workload.id) {
        <tr>
          <td>
            <a [routerLink]="['/workloads', workload.id]"
              ><b>{{ workload.name }}</b></a
            >
          </td>
          <td class="num">{{ workload.crews.length }}</td>
          <td class="num">{{ users(workload) }}</td>
          <td class="num">{{ length(workload) }}</td>
          <td class="num">{{ workload.criteria.length }}</td>
        </tr>
      }
    </tbody>
    <ng-container ngProjectAs="[empty]"
      >No workload yet. Make one once a script replays and has its data.<br /><button
        class="act main"
        (click)="make()"
        [whyNot]="!ready() && 'A crew plays a script. Make a script first.'"
      >
        New workload
      </button></ng-container
    >
  </app-list-page>`,
})
export class WorkloadList {
  readonly #store = inject(Store);
  readonly list = this.#store.selectSignal(workloadsFeature.selectList);
  readonly listed = this.#store.selectSignal(workloadsFeature.selectListed);
  /** True once it is known which scripts there are: a new workload begins with one of them. */
  readonly ready = this.#store.selectSignal(scriptsFeature.selectListed);
  readonly #scripts = this.#store.selectSignal(scriptsFeature.selectAll);

  constructor() {
    this.#store.dispatch(workloadsActions.listAsked());
    this.#store.dispatch(scriptsActions.listAsked());
  }

  users(workload: Workload): number {
    return workload.crews.reduce((sum, crew) => sum + crew.users, 0);
  }
  length(workload: Workload): string {
    return clock(curveSeconds(workload));
  }
  make(): void {
    const [script] = this.#scripts();
    this.#store.dispatch(
      workloadsActions.makeWanted({
        workload: {
          name: script ? `${script.name}, 20 users` : 'New workload',
          crews: script
            ? [
                {
                  id: 'c1',
                  name: script.name,
                  scriptId: script.id,
                  users: 20,
                  think: { kind: 'recorded', factor: 1, ms: 1000, capMs: 10_000 },
                  pacing: { kind: 'start-to-start', seconds: 10 },
                  onFailure: 'next-iteration',
                },
              ]
            : [],
          curve: { kind: 'ramp', together: 1, rampUpSeconds: 10, holdSeconds: 40, rampDownSeconds: 5, atEnd: 'iteration' },
          criteria: [{ id: 'k1', measure: 'error-rate', transaction: null, limit: 1 }],
          generators: 1,
          seed: '1',
        },
      }),
    );
  }
}
