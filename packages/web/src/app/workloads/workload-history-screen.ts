import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { map } from 'rxjs';
import { Api } from '../shared/api';
import { VersionPair, type VersionSource } from '../shared/version-pair';
import { workloadsActions } from '../state/workloads.actions';
import { workloadsFeature } from '../state/workloads.feature';

/** Who changed what in a workload and when; a version beside another, or beside another workload, and each to be had back. */
@Component({
  selector: 'app-workload-history-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, VersionPair],
  template: `<div class="whole">
    <div class="page-head">
      <h1>
        <a [routerLink]="['/workloads', id()]">{{ workload()?.name ?? 'Workload' }}</a> · versions
      </h1>
      <span class="muted small">who changed what, and when; beside an earlier version or another workload</span>
    </div>
    <app-version-pair [source]="source()" [others]="others()" label="Workload as text" />
  </div>`,
  styles: `
    .whole {
      height: 100%;
      display: flex;
      flex-direction: column;
      padding: 14px 18px;
      min-height: 0;
    }
    h1 a {
      color: var(--ink);
    }
  `,
})
export class WorkloadHistoryScreen {
  readonly #api = inject(Api);
  readonly #store = inject(Store);
  readonly id = input.required<string>();
  readonly #list = this.#store.selectSignal(workloadsFeature.selectList);
  readonly workload = computed(() => this.#list().find((workload) => workload.id === this.id()));
  readonly others = computed(() =>
    this.#list()
      .filter((workload) => workload.id !== this.id())
      .map((workload) => ({ key: workload.id, name: `workload ${workload.name}` })),
  );
  readonly source = computed((): VersionSource => {
    const id = this.id();
    return {
      versions: () => this.#api.workloadVersions(id),
      textOf: (what) => (typeof what === 'number' ? this.#api.workloadTextAt(id, what) : this.#api.workloadText(what)),
      restore: (number) =>
        this.#api.restoreWorkload(id, number).pipe(
          map(() => {
            this.#store.dispatch(workloadsActions.listAsked());
          }),
        ),
    };
  });

  constructor() {
    this.#store.dispatch(workloadsActions.listAsked());
  }
}
