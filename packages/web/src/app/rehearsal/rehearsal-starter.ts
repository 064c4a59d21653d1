import { inject, Injectable } from '@angular/core';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import type { Environment, Script } from '@sturdy/core';
import { dataFeature } from '../state/data.feature';
import { projectFeature } from '../state/project.feature';
import { scriptsActions } from '../state/scripts.actions';
import { RehearseDialog, type RehearsalChoice, type RehearsalKind } from './rehearse-dialog';

/** What is known of one environment is not known of another. */
const knownKey = (script: Script, environment: Environment | null): string =>
  `sturdy.rehearsal-known.${script.id}.${environment?.id ?? ''}`;

/** Starts rehearsals from wherever that is asked for, after saying what they will do; not where the tester knows it already. */
@Injectable({ providedIn: 'root' })
export class RehearsalStarter {
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly #environment = this.#store.selectSignal(projectFeature.selectEnvironment);
  readonly #tables = this.#store.selectSignal(dataFeature.selectTables);

  /** `choose` opens the dialog in any case; `until` proposes a step up to which to play. */
  start(script: Script, kind: RehearsalKind, { choose = false, until = null as string | null } = {}): void {
    const environment = this.#environment();
    const key = knownKey(script, environment);
    // Where it is production-like, it is said each time.
    if (!choose && environment?.productionLike !== true && localStorage.getItem(key) !== null) {
      this.#dispatch(kind, null);
      return;
    }
    const modal = this.#modals.open(RehearseDialog);
    const dialog = modal.componentInstance as RehearseDialog;
    dialog.kind.set(kind);
    dialog.script.set(script);
    dialog.environment.set(environment);
    dialog.allTables.set(this.#tables());
    dialog.until.set(until);
    dialog.known.set(localStorage.getItem(key) !== null);
    modal.result.then(
      ({ wish, known }: RehearsalChoice) => {
        if (known) localStorage.setItem(key, 'yes');
        else localStorage.removeItem(key);
        this.#dispatch(kind, wish);
      },
      () => undefined,
    );
  }

  #dispatch(kind: RehearsalKind, wish: RehearsalChoice['wish'] | null): void {
    this.#store.dispatch(kind === 'repair' ? scriptsActions.repairWanted() : scriptsActions.rehearseWanted({ wish }));
  }
}
