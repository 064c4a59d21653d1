import { inject, Injectable } from '@angular/core';
import { NgbModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { Store } from '@ngrx/store';
import type { Environment } from '@sturdy/core';
import { filter, firstValueFrom } from 'rxjs';
import { projectActions } from '../state/project.actions';
import { projectFeature } from '../state/project.feature';
import type { EnvironmentDialog as Dialog } from './environment-dialog';

/** Opens the dialog of the environment from wherever it is needed, and saves what it gives. */
@Injectable({ providedIn: 'root' })
export class EnvironmentDialogs {
  readonly #store = inject(Store);
  readonly #modals = inject(NgbModal);
  readonly #chosen = this.#store.selectSignal(projectFeature.selectEnvironment);
  readonly #environments = this.#store.selectSignal(projectFeature.selectEnvironments);
  readonly #saves = this.#store.select(projectFeature.selectIsSavingEnvironment);

  /** Opens the chosen environment, or that of an id. With an origin, that one is proposed as a further target. Waits for an environment that is being saved: opened before, it would bring back the old one. */
  open(target?: string, id?: string): void {
    void firstValueFrom(this.#saves.pipe(filter((saves) => !saves))).then(() => {
      return this.#show(target, id);
    });
  }

  async #show(target: string | undefined, id: string | undefined): Promise<void> {
    // The dialog is large, and most visits do not open it.
    const { EnvironmentDialog } = await import('./environment-dialog');
    const environment = id === undefined ? this.#chosen() : this.#environments().find((candidate) => candidate.id === id);
    if (!environment) return;
    const modal = this.#modals.open(EnvironmentDialog, { size: 'lg', scrollable: true });
    const proposed = target !== undefined && !environment.targets.includes(target) ? [...environment.targets, target] : environment.targets;
    (modal.componentInstance as Dialog).show({ ...environment, targets: proposed });
    modal.result.then(
      (changed: Environment) => {
        this.#store.dispatch(projectActions.environmentChanged({ environment: changed }));
      },
      () => undefined,
    );
  }
}
