import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Store } from '@ngrx/store';
import { map } from 'rxjs';
import { Api } from '../shared/api';
import { HistoryPage } from '../shared/history-page';
import type { VersionSource } from '../shared/version-pair';
import { loadScriptOf } from '../state/script-of-address';
import { scriptsActions } from '../state/scripts.actions';
import { scriptsFeature } from '../state/scripts.feature';

/** Who changed what in a script and when; two versions beside each other as text, and each to be had back. */
@Component({
  selector: 'app-history-screen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [HistoryPage],
  template: `<app-history-page
    [link]="['/scripts', id()]"
    [name]="script()?.name ?? 'Script'"
    [source]="source()"
    label="Script as text"
  />`,
})
export class HistoryScreen {
  readonly #api = inject(Api);
  readonly #store = inject(Store);
  readonly id = input.required<string>();
  readonly script = this.#store.selectSignal(scriptsFeature.selectCurrent);
  readonly source = computed((): VersionSource => {
    const id = this.id();
    return {
      versions: () => this.#api.scriptVersions(id),
      textOf: (what) => this.#api.scriptTextAt(id, Number(what)),
      restore: (number) =>
        this.#api.restoreScript(id, number).pipe(
          map(({ script }) => {
            this.#store.dispatch(scriptsActions.replaced({ script }));
          }),
        ),
    };
  });

  constructor() {
    loadScriptOf(this.id);
  }
}
