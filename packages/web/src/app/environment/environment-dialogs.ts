import { inject, Injectable } from '@angular/core';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap';
import { Store } from '@ngrx/store';
import type { Environment } from '@sturdy/core';
import { projectActions } from '../state/project.actions';
import { projectFeature } from '../state/project.feature';
import { EnvironmentDialog } from './environment-dialog';

/** Opens the dialog of the environment from wherever it is needed, and saves what it gives. */
@Injectable({ providedIn: 'root' })
export class EnvironmentDialogs {
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly #environment = this.#store.selectSignal(projectFeature.selectEnvironment);

  /** With an origin, that one is proposed as a further target. */
  open(target?: string): void {
    const environment = this.#environment();
    if (!environment) return;
    const modal = this.#modals.open(EnvironmentDialog, { size: 'lg', scrollable: true });
    const proposed = target !== undefined && !environment.targets.includes(target) ? [...environment.targets, target] : environment.targets;
    (modal.componentInstance as EnvironmentDialog).show({ ...environment, targets: proposed });
    modal.result.then(
      (changed: Environment) => {
        this.#store.dispatch(projectActions.environmentChanged({ environment: changed }));
      },
      () => undefined,
    );
  }
}
