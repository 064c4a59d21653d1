import { inject, Injectable } from '@angular/core';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap';
import { Store } from '@ngrx/store';
import type { Script } from '@sturdy/core';
import { dataFeature } from '../state/data.feature';
import { projectFeature } from '../state/project.feature';
import { scriptsActions } from '../state/scripts.actions';
import { RehearseDialog, type RehearsalChoice, type RehearsalKind } from './rehearse-dialog';

const knownKey = (script: Script): string => `sturdy.rehearsal-known.${script.id}`;

/** Starts rehearsals from wherever that is asked for, after saying what they will do; not where the tester knows it already. */
@Injectable({ providedIn: 'root' })
export class RehearsalStarter {
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly #environment = this.#store.selectSignal(projectFeature.selectEnvironment);
  readonly #tables = this.#store.selectSignal(dataFeature.selectTables);

  /** `choose` opens the dialog in any case; `until` proposes a step up to which to play. */
  start(script: Script, kind: RehearsalKind, { choose = false, until = null as string | null } = {}): void {
    if (!choose && localStorage.getItem(knownKey(script)) !== null) {
      this.#dispatch(kind, null);
      return;
    }
    const modal = this.#modals.open(RehearseDialog);
    const dialog = modal.componentInstance as RehearseDialog;
    dialog.kind.set(kind);
    dialog.script.set(script);
    dialog.environment.set(this.#environment());
    dialog.allTables.set(this.#tables());
    dialog.until.set(until);
    dialog.known.set(localStorage.getItem(knownKey(script)) !== null);
    modal.result.then(
      ({ wish, known }: RehearsalChoice) => {
        if (known) localStorage.setItem(knownKey(script), 'yes');
        else localStorage.removeItem(knownKey(script));
        this.#dispatch(kind, wish);
      },
      () => undefined,
    );
  }

  #dispatch(kind: RehearsalKind, wish: RehearsalChoice['wish'] | null): void {
    this.#store.dispatch(kind === 'repair' ? scriptsActions.repairWanted() : scriptsActions.rehearseWanted({ wish }));
  }
}
