import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Store } from '@ngrx/store';
import { map } from 'rxjs';
import { Api } from '../shared/api';
import { HistoryPage } from '../shared/history-page';
import type { VersionSource } from '../shared/version-pair';
import { workloadsActions } from '../state/workloads.actions';
import { workloadsFeature } from '../state/workloads.feature';

/** Who changed what in a workload and when; a version beside another, or beside another workload, and each to be had back. */
@Component({
  selector: 'app-workload-history-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [HistoryPage],
  template: `<app-history-page
    [link]="['/workloads', id()]"
    [name]="workload()?.name ?? 'Workload'"
    hint="who changed what, and when; beside an earlier version or another workload"
    [others]="others()"
    [source]="source()"
    label="Workload as text"
  />`,
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
